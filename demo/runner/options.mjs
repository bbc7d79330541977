/** What the demo runner is told on the command line. */
import { resolve } from "node:path";
import { parseArgs } from "node:util";
import { ROOT } from "../../scripts/prerequisites.mjs";
import { isPortFree } from "../../scripts/process.mjs";
import { UserError } from "../../scripts/say.mjs";

export function readOptions() {
  let values;
  try {
    ({ values } = parseArgs({
      options: {
        fresh: { type: "boolean", default: false },
        port: { type: "string", default: "8420" },
        "app-port": { type: "string", default: "8421" },
        state: { type: "string", default: ".lucchetto" },
        "stop-after-start": { type: "boolean", default: false },
        watch: { type: "boolean", default: false },
        "as-built": { type: "boolean", default: false },
      },
    }));
  } catch (error) {
    throw new UserError(
      `${error.message}\nUsage: npm run demo -- [--fresh] [--port 8420] [--app-port 8421] [--state .lucchetto]`,
      2,
    );
  }
  const port = readPort("--port", values.port);
  const appPort = readPort("--app-port", values["app-port"]);
  if (port === appPort) throw new UserError("--port and --app-port are the same; give two ports.", 2);
  return {
    fresh: values.fresh,
    state: resolve(ROOT, values.state),
    stopAfterStart: values["stop-after-start"],
    watch: values.watch,
    asBuilt: values["as-built"],
    port,
    appPort,
    url: `http://localhost:${port}`,
    appUrl: `http://localhost:${appPort}`,
  };
}

function readPort(option, text) {
  const port = Number(text);
  if (Number.isInteger(port) && port > 0 && port < 65_536) return port;
  throw new UserError(`${option}: found ${text}, expected a port from 1 to 65535`, 2);
}

export async function assertPortsFree({ port, appPort }) {
  for (const [option, wanted, example] of [
    ["--port", port, port + 10],
    ["--app-port", appPort, appPort + 10],
  ]) {
    if (!(await isPortFree(wanted))) {
      throw new UserError(`Port ${wanted} is in use. Take another: npm run demo -- ${option} ${example}`);
    }
  }
}
