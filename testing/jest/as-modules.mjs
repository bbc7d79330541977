/** Tests are ES modules, for which Jest wants an option of Node's: a call without it is made again with it. */
import { spawnSync } from "node:child_process";

const OPTION = "--experimental-vm-modules";

export function runAsModules() {
  const { argv, env, execArgv, execPath, exit } = process;
  if (execArgv.includes(OPTION) || (env.NODE_OPTIONS ?? "").includes(OPTION)) return;
  const options = [...execArgv, OPTION, "--disable-warning=ExperimentalWarning"];
  exit(spawnSync(execPath, [...options, ...argv.slice(1)], { stdio: "inherit" }).status ?? 1);
}
