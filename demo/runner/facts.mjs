/** What the demo tells: to people on the terminal, to programs in a file. */
import { existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { say } from "../../scripts/say.mjs";
import { keyUriOf, passkeyFile } from "./history.mjs";
import { writeSecret } from "./state.mjs";

/** The registration of the sample application, whose desk has forms of its own. */
export async function keepApps(demo, options) {
  const app = await keepApp(demo, options, {
    file: "app.json",
    name: "Brina Huts",
    clientId: "brina-huts",
    rights: ["accounts"],
    ownForms: true,
  });
  return { app };
}

/** A registration is kept, and made anew when the ports or its rights have changed. */
async function keepApp(demo, { state, url, appUrl, appPort }, { file: fileName, clientId: wanted, ...more }) {
  const file = join(state, fileName);
  const redirectUri = `${appUrl}/signed-in`;
  const kept = existsSync(file) ? JSON.parse(readFileSync(file, "utf8")) : null;
  const rights = more.rights ?? [];
  if (
    kept?.redirectUri === redirectUri &&
    String(kept.rights ?? []) === String(rights) &&
    kept.ownForms === more.ownForms
  )
    return kept;
  const { clientId, key } = await demo.registerApp(url, demo.OPERATOR, {
    ...more,
    clientId: kept === null ? wanted : `${wanted}-${appPort}-${Date.now().toString(36)}`,
    redirectUri,
    signedOutUri: `${appUrl}/signed-out`,
  });
  const app = { clientId, key, redirectUri, rights, ownForms: more.ownForms };
  writeSecret(file, JSON.stringify(app));
  return app;
}

/** What programs read in `demo.json`. */
export function factsOf({ demo, options, database: { port, user, password, name }, apps }) {
  const { url, appUrl, state } = options;
  const { clientId, key, redirectUri } = apps.app;
  return {
    url,
    appUrl,
    database: { host: "127.0.0.1", port, user, password, name },
    operator: { ...demo.OPERATOR },
    member: { ...demo.MEMBER },
    keeper: { ...demo.KEEPER, totpUri: keyUriOf(demo.KEEPER.email, state) },
    passkeyKeeper: { ...demo.PASSKEY_KEEPER, passkeyFile: passkeyFile(state) },
    app: { clientId, key, redirectUri },
  };
}

export function sayFacts(
  { url, appUrl, database, operator, member, keeper, passkeyKeeper },
  { state, demo },
) {
  say(`
Brina Huts is open.

  the sample application   ${appUrl}
  people's pages           ${url}/sign-in
  operators' console       ${url}/console
  the calls                ${url}/docs

  operator   ${operator.email}   ${operator.password}
  member     ${member.email}   ${member.password}
  office     ${demo.OFFICE.email}   ${demo.OFFICE.password}   (invites and suspends members at ${appUrl}/office)
  keeper     ${keeper.email}   ${keeper.password}   (asks for a code: npx lucchetto totp code, with the secret ${secretOf(keeper.totpUri)})
  keeper     ${passkeyKeeper.email}   (signs in with a passkey of an authenticator in software: ${passkeyKeeper.passkeyFile})
  auditor    ${demo.AUDITOR.email}   ${demo.AUDITOR.password}   (reads in the console, changes nothing)

  database   mariadb -h 127.0.0.1 -P ${database.port} -u ${database.user} -p ${database.name}   (password in ${join(state, "demo.json")})
  command    npx lucchetto sign-in ${operator.email} --url ${url}

Ctrl-C stops everything; the data stay in ${state}.`);
}

/** As one types it. */
function secretOf(uri) {
  return uri === undefined ? "of its own" : new URL(uri).searchParams.get("secret");
}
