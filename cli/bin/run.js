/** The command as it is shipped, for a process that calls it without starting another. */
import { fileURLToPath } from "node:url";
import { load } from "../dist/start.cjs";

export const { runCommandLine } = load(fileURLToPath(new URL("../dist/run.cjs", import.meta.url)));
