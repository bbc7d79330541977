/** What must be on the machine: node packages, and programs from Debian's packages. */
import { accessSync, constants, existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { runCommand } from "./process.mjs";
import { say, step, UserError } from "./say.mjs";

/** The project's root folder. */
export const ROOT = fileURLToPath(new URL("..", import.meta.url)).replace(/\/$/, "");

/** Folders in which Debian puts programs, whether or not they are on the PATH. */
const PROGRAM_FOLDERS = ["/usr/local/sbin", "/usr/local/bin", "/usr/sbin", "/usr/bin", "/sbin", "/bin"];

/** Installs the node packages of package-lock.json, unless exactly these are installed already. */
export async function ensureNodePackages() {
  const [major = 0, minor = 0] = process.versions.node.split(".").map(Number);
  if (major < 20 || (major === 20 && minor < 19)) {
    throw new UserError(`Node ${process.versions.node} is too old; Lucchetto needs 20.19 or newer.`);
  }
  if (arePackagesInstalled()) return;
  await step("installing node packages (once; about a minute)", () =>
    runCommand("npm", ["ci", "--no-audit", "--no-fund"], { cwd: ROOT }),
  );
}

/** Whether npm's own list of what it installed says what package-lock.json says, but for other machines' binaries. */
function arePackagesInstalled() {
  const list = join(ROOT, "node_modules", ".package-lock.json");
  if (!existsSync(list)) return false;
  const installed = JSON.parse(readFileSync(list, "utf8")).packages;
  const wanted = JSON.parse(readFileSync(join(ROOT, "package-lock.json"), "utf8")).packages;
  return Object.entries(wanted).every(([path, { integrity, optional }]) =>
    path in installed ? installed[path].integrity === integrity : optional || !path.includes("node_modules"),
  );
}

/** Path of a program, or `null`. */
export function findProgram(name) {
  const folders = [...(process.env.PATH ?? "").split(":"), ...PROGRAM_FOLDERS];
  for (const folder of folders) {
    const path = join(folder, name);
    try {
      accessSync(path, constants.X_OK);
      return path;
    } catch {
      // Not there, or not for us: the next folder.
      continue;
    }
  }
  return null;
}

let listsUpdated = false;

/**
 * Installs Debian packages whose programs are missing, when run by root; otherwise says which to install.
 * @param wanted pairs of program and package.
 */
export async function ensureDebianPackages(wanted) {
  const lacking = wanted.filter(({ program }) => findProgram(program) === null).map((one) => one.package);
  const missing = [...new Set(lacking)];
  if (missing.length === 0) return;
  const names = missing.join(" ");
  if (process.getuid?.() !== 0 || findProgram("apt-get") === null) {
    throw new UserError(
      `Missing on this machine: ${names}.\nInstall it, then run this again:\n\n    sudo apt-get update && sudo apt-get install -y --no-install-recommends ${names}\n`,
    );
  }
  const env = { ...process.env, DEBIAN_FRONTEND: "noninteractive" };
  await step(`installing Debian's ${names} (once; about a minute)`, async () => {
    if (!listsUpdated) await runCommand("apt-get", ["update"], { env });
    listsUpdated = true;
    await runCommand("apt-get", ["install", "-y", "--no-install-recommends", ...missing], { env });
  });
}

/** Compiles the rooms and builds the pages, whatever of it is not as its sources are. */
export async function build() {
  await Promise.all([buildRooms(), buildPages()]);
  await declareTypes();
}

/** The compiler is a node package: it can be loaded only once these are installed. */
const builder = () => import("./build.mjs");

export async function buildRooms() {
  const { buildRooms: work } = await builder();
  await step("compiling", work);
}

export async function buildPages() {
  const { buildPages: work } = await builder();
  await step("building the pages", work);
}

/** For whoever installs the packages from this folder. */
export async function declareTypes() {
  const { declareTypes: work } = await builder();
  await step("writing the packages' declarations", work);
}

/** Says which version of what is used, for whoever reads a log later. */
export function sayVersions() {
  say(`Lucchetto, on Node ${process.versions.node}`);
}
