/** Writes docs/recovery.md anew from the table of recovery rules: `node scripts/build.mjs && node scripts/recovery-doc.mjs`. */
import { writeFileSync } from "node:fs";
import { recoveryDocument } from "@lucchetto/core";
import { say } from "./say.mjs";

writeFileSync("docs/recovery.md", recoveryDocument());
say("wrote docs/recovery.md");
