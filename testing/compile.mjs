/** Compiles the rooms that tests load, whatever of it is not as its sources are: no test runs on yesterday's code. */
import { compileRooms } from "../scripts/build.mjs";

export default compileRooms;
