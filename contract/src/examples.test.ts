import { testExamples } from "../../testing/examples.ts";
import * as contract from "./index.ts";

testExamples(import.meta.dirname, contract, 2);
