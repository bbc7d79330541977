/** What an application needs to stand behind Lucchetto. */
import { bold } from "./output.ts";

export function linesToPaste(
  service: string,
  clientId: string,
  returnAddress: string,
  signedOut: string | undefined,
): string[] {
  return [
    bold("Paste this into a Fastify application:"),
    "",
    `import { fastifyHasp } from "@lucchetto/hasp/fastify";`,
    `await app.register(fastifyHasp, {`,
    `  service: "${service}",`,
    `  clientId: "${clientId}",`,
    `  appKey: process.env.LUCCHETTO_APP_KEY,`,
    `  returnAddress: "${returnAddress}",`,
    ...(signedOut === undefined ? [] : [`  signedOutAddress: "${signedOut}",`]),
    `});`,
    `app.get("/members", { preHandler: app.hasp.closed() }, async (request) => request.account);`,
  ];
}
