import { testExamples } from "../../testing/examples.ts";
import * as core from "./index.ts";

testExamples(import.meta.dirname, core, 60);
