/**
 * The tests that a change can break, for `npm test -- --changed`: those that lie beside what changed, and those of its capability in every
 * room. What stands below everything (`base/`, `testing/`, packages) can break anything: then it says so, and all of them run.
 */
import { execFileSync } from "node:child_process";
import { existsSync, readdirSync } from "node:fs";
import { basename, dirname, join } from "node:path";
import { ROOT } from "./prerequisites.mjs";

/** By folder of `core/src` and `service/src/<floor>`, or file of `contract/src/routes` and `cli/src/commands`: what its tests are called. */
export const TESTS_OF = {
  "access-key": ["access-keys", "access"],
  account: ["accounts", "own-sessions", "person"],
  app: ["apps-at-work", "oauth"],
  "app-account": ["apps-at-work"],
  capability: ["server", "http"],
  clock: ["clock", "housekeeping"],
  config: ["config"],
  description: ["description"],
  export: ["export"],
  granting: ["ended-actors", "ended-sessions", "operators"],
  health: ["housekeeping", "stopping"],
  http: ["http", "server", "forwarded"],
  inside: ["inside", "trace"],
  intake: ["intake-drafts", "intake-source", "import", "import-plan", "moving-in"],
  journal: ["journal", "chain"],
  link: ["links", "link"],
  mail: ["outbox", "mail-template", "mail"],
  "mail-link": ["links", "mail-link", "asked", "ways-back"],
  "mail-text": ["mail-template", "outbox"],
  oauth: ["oauth", "rfc-clients"],
  operator: ["operators", "operator"],
  pages: ["http", "language"],
  passkey: ["passkey", "passkey-accounts", "passkeys"],
  password: ["password", "hashing", "schemes"],
  proof: ["sign-in", "pending", "second-factor"],
  "proxy-check": ["proxy-check"],
  queue: ["queue", "places", "outbox"],
  recipe: ["recipe", "import"],
  recovery: ["recovery", "recovery-table", "things-from-before"],
  "recovery-rules": ["recovery-table", "from-before", "takeover"],
  registration: ["registration", "recovery-edges"],
  rehearsal: ["rehearsals", "parts"],
  "second-factor": ["second-factor", "duty", "level"],
  secrets: ["secrets", "seal", "token", "keys"],
  session: ["session", "own-sessions", "level"],
  "sign-in": ["sign-in", "pending", "mail-sign-in"],
  site: ["http", "mail-template"],
  storage: ["storage", "housekeeping"],
  throttle: ["throttle", "noise", "places"],
  totp: ["totp", "second-factor"],
  webhook: ["webhook"],
};

/** Rooms whose own tests are few enough to run all of them. */
const WHOLE_ROOMS = {
  hasp: "hasp/test/(hasp|checks|guard|unwell)",
  rehearsal: "rehearsal/test/parts",
  demo: "demo/test/office",
};
/** What anything stands on. */
const BELOW_ALL =
  /^(testing|scripts)\/|^(package|package-lock|jest\.config|tsconfig[\w.]*)\.|^service\/src\/(start|main|index)|^service\/src\/records\/context\.ts$|^contract\/src\/[\w-]+\.ts$/;

/** Files that differ from the last commit, new ones among them. */
function changedFiles() {
  const git = (...args) => execFileSync("git", args, { cwd: ROOT, encoding: "utf8" }).split("\n");
  return [...git("diff", "--name-only", "HEAD"), ...git("ls-files", "--others", "--exclude-standard")].filter(
    (name) => name !== "",
  );
}

/** The capability that a file belongs to. @returns `null` if it is of none. */
function capabilityOf(file) {
  const [, name] =
    /^(?:core\/src|service\/src\/[a-z]+)\/([a-z-]+)\//.exec(file) ??
    /^(?:contract\/src\/routes|cli\/src\/commands)\/([a-z-]+)\.ts$/.exec(file) ??
    [];
  return name ?? null;
}

/**
 * @returns patterns for the test runner, or a sentence about why everything has to be run.
 */
export function testsOfChange(files = changedFiles()) {
  const patterns = new Set();
  for (const file of files) {
    if (/\.(md|png)$/.test(file)) continue;
    if (/\.test\.ts$/.test(file)) {
      if (existsSync(join(ROOT, file))) patterns.add(file);
      continue;
    }
    if (BELOW_ALL.test(file)) return { everything: `${file} can change anything` };
    const beside = file.replace(/\.(ts|svelte)$/, ".test.ts");
    if (beside !== file && existsSync(join(ROOT, beside))) patterns.add(beside);
    const room = file.split("/", 1)[0] ?? "";
    const ofRoom = WHOLE_ROOMS[room];
    const capability = capabilityOf(file);
    const names = TESTS_OF[capability ?? ""];
    if (ofRoom !== undefined) patterns.add(ofRoom);
    else if (names !== undefined) patterns.add(`/(${names.join("|")})\\.test\\.ts$`);
    else if (room === "console") patterns.add(`console/test/(journey|pages)`);
    else if (room === "cli") patterns.add(`cli/test/(usage|${basename(file, ".ts")})`);
    else if (room === "core") patterns.add(`${dirname(file)}/`);
    else return { everything: `no tests are named for ${file}` };
  }
  return { patterns: [...patterns] };
}

/** Folders that no line of the table speaks of. */
export function foldersWithoutTests() {
  const folders = (at) =>
    readdirSync(join(ROOT, at), { withFileTypes: true })
      .filter((one) => one.isDirectory())
      .map(({ name }) => name);
  const floors = folders("service/src").filter((name) => name !== "start");
  return floors.flatMap((floor) => folders(`service/src/${floor}`)).filter((name) => !(name in TESTS_OF));
}
