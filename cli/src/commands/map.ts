/** For developers: which routes of an application are closed, and which nobody said anything of. */
import { MAP_PATH, routeMap, wantedInWords } from "@lucchetto/contract";
import type { Command } from "commander";
import { Failure } from "../failure.ts";
import { print, printable, printJson, printTable, rust } from "../output.ts";

const DEADLINE = 10_000;

export function defineMap(command: Command): void {
  command
    .requiredOption("--app <address>", "the application's address")
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      `\nThe application's hasp shows the map in development, under a name of this machine, at ${MAP_PATH}.\n\nExample:\n  lucchetto map --app http://localhost:8421`,
    )
    .action(async ({ app, json }: { app: string; json?: boolean }) => {
      if (!/^https?:\/\//.test(app) || !URL.canParse(app))
        throw new Failure(`--app: ${app} is no address such as http://localhost:8421`, 2);
      const { routes } = await read(new URL(MAP_PATH, app));
      if (json === true) return printJson({ routes });
      printTable(
        ["method", "path", "access", "wants"],
        routes.map((one) => [
          one.method,
          printable((one.isWhole ? "" : "… ") + one.path),
          one.access === "undeclared" ? rust(one.access) : one.access,
          printable(wantedInWords(one)),
        ]),
        "No routes.",
      );
      const count = (access: string) => routes.filter((one) => one.access === access).length;
      print("", `${count("closed")} closed, ${count("open")} open, ${count("undeclared")} undeclared.`);
      if (count("undeclared") > 0)
        print("Put hasp.open() or hasp.closed() before the undeclared ones, or a guard over all.");
    });
}

async function read(address: URL) {
  const headers = { accept: "application/json" };
  const signal = AbortSignal.timeout(DEADLINE);
  const reply = await fetch(address, { headers, signal }).catch((error: unknown) => {
    throw new Failure(
      `${address.origin} does not answer (${(error as Error).message}). Is the application running?`,
    );
  });
  const shown = routeMap.safeParse(await reply.json().catch(() => null));
  if (shown.success) return shown.data;
  throw new Failure(
    `${address.href} shows no map (${reply.status}). A hasp shows it in development (NODE_ENV is not production), where the return address is of this machine.`,
  );
}
