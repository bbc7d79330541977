/** Where what is built beside the service lies. Two folders below the room, as its bundle is, so that both find the same. */
import { fileURLToPath } from "node:url";

/** The pages, built. */
export const CONSOLE_DIRECTORY = fileURLToPath(new URL("../../../console/dist/", import.meta.url));
/** The rehearsal as a process of its own. */
export const REHEARSAL_MAIN = fileURLToPath(new URL("../../../rehearsal/dist/main.js", import.meta.url));
