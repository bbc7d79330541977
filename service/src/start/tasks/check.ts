/** `check`: looks at everything the service needs; each line is ok, a warning or wrong, with its remedy. */
import { access } from "node:fs/promises";
import { isIP } from "node:net";
import type { CheckFinding } from "@lucchetto/contract";
import { DEFAULT_MINIMUM_LENGTH, isLoopbackHost } from "@lucchetto/core";
import { readMovedClock } from "../../base/clock/clock.ts";
import type { Configuration } from "../../base/config/index.ts";
import {
  appOfLanding,
  ConfigurationError,
  loadConfiguration,
  readSetting,
  warningsOf,
} from "../../base/config/index.ts";
import { CONSOLE_DIRECTORY } from "../../base/locations.ts";
import { DatabaseUnavailable, openDatabase, schemaStatus } from "../../base/storage/index.ts";
import { lostPasskeys } from "../../people/passkey/relying-party.ts";
import { findByClientId } from "../../records/app/store.ts";
import { openTransport, refusalOf } from "../../records/mail/transport.ts";
import { openCompromisedList } from "../../records/password/compromised.ts";
import { createHashing } from "../../records/password/hashing.ts";

/** Milliseconds between which a sign-in neither keeps people waiting nor makes guessing cheap. */
const COMFORTABLE = { least: 50, most: 1_000 };
const THIRTY_DAYS = 30 * 86_400_000;

/** Checks everything that can be checked; what depends on something wrong is left out. */
export async function check(path: string): Promise<CheckFinding[]> {
  let configuration: Configuration;
  try {
    configuration = loadConfiguration(path);
  } catch (error) {
    if (!(error instanceof ConfigurationError)) throw error;
    const faults = error.faults.map((detail) => ({
      subject: "configuration",
      verdict: "wrong" as const,
      detail,
    }));
    return [...tellMode(readSetting(path, "mode")), ...faults];
  }
  const findings: CheckFinding[] = [
    ...tellMode(configuration.mode),
    { subject: "configuration", verdict: "ok", detail: path },
    ...warningsOf(configuration).map(({ name, detail }) => ({
      subject: "configuration",
      verdict: "warning" as const,
      detail: `${name}: ${detail}`,
    })),
    ...checkPasswordRules(configuration),
    ...(await checkCompromisedList(configuration)),
    ...checkSessions(configuration),
    checkKeys(configuration),
    checkPasskeys(configuration),
    ...checkProxies(configuration),
    ...checkProxyCheck(configuration),
    ...checkWebhooks(configuration),
    await checkMail(configuration),
    await checkHashing(configuration),
    await checkPages(),
  ];
  return [...findings, ...(await checkDatabase(configuration))];
}

/** What the rest is judged by, so it comes first. A mode that is none is told with what else is wrong. */
function tellMode(mode: string | undefined): CheckFinding[] {
  const detail = MODES[mode ?? ""];
  return detail === undefined ? [] : [{ subject: "mode", verdict: "ok", detail }];
}

const MODES: Readonly<Record<string, string>> = {
  development:
    "development: for this machine alone, to which mails, traces and the clock are open without signing in",
  production: "production",
};

function checkPasswordRules({ passwords }: Configuration): CheckFinding[] {
  const subject = "password rules";
  if (passwords.rules === "off") {
    return [
      {
        subject,
        verdict: "warning",
        detail: "off: any password is accepted; production does not start like this",
      },
    ];
  }
  const { minimumLength } = passwords;
  if (minimumLength < DEFAULT_MINIMUM_LENGTH) {
    const detail = `passwords.minimumLength is ${minimumLength}; a password used alone should have at least ${DEFAULT_MINIMUM_LENGTH} (NIST SP 800-63B-4)`;
    return [{ subject, verdict: "warning", detail }];
  }
  return [{ subject, verdict: "ok", detail: `at least ${minimumLength} characters` }];
}

async function checkCompromisedList({ passwords }: Configuration): Promise<CheckFinding[]> {
  const subject = "compromised list";
  if (passwords.compromisedList === undefined) return [];
  try {
    const list = await openCompromisedList(passwords.compromisedList);
    await list.close();
    const detail = `${list.entries.toLocaleString("en")} passwords that people cannot choose`;
    return [{ subject, verdict: "ok", detail }];
  } catch (error) {
    if (!(error instanceof ConfigurationError)) throw error;
    return error.faults.map((detail) => ({ subject, verdict: "wrong", detail }));
  }
}

function checkSessions({ sessions }: Configuration): CheckFinding[] {
  if (sessions.remembered.absolute <= THIRTY_DAYS) return [];
  const detail =
    "sessions.remembered.absolute is longer than 30 days, which NIST SP 800-63B-4 advises against";
  return [{ subject: "sessions", verdict: "warning", detail }];
}

function checkKeys({ keyRing, passwords }: Configuration): CheckFinding {
  if (keyRing !== null) {
    return {
      subject: "keys",
      verdict: "ok",
      detail: `${keyRing.keys.size} in the ring, current ${keyRing.current}${passwords.pepper === "on" ? "; new records are peppered with it" : ""}`,
    };
  }
  const detail =
    "no key ring; create one with: lucchetto keys add, and set keys.file (required in production)";
  return { subject: "keys", verdict: "warning", detail };
}

/** A wrong combination of addresses is found here, before a person meets it. */
function checkPasskeys({ publicUrl, passkeys }: Configuration): CheckFinding {
  const subject = "passkeys";
  const { relyingPartyId, origins, relatedOrigins } = passkeys;
  const { hostname, pathname, protocol } = new URL(publicUrl);
  if (isIP(hostname.replace(/^\[|\]$/g, "")) !== 0) {
    const detail = `publicUrl has the IP address ${hostname}, but passkeys need a host name; use one (localhost in development)`;
    return { subject, verdict: "warning", detail };
  }
  if (protocol === "http:" && !isLoopbackHost(hostname)) {
    const detail =
      "publicUrl is http://, where browsers do not allow passkeys; use https:// (or localhost in development)";
    return { subject, verdict: "warning", detail };
  }
  if (relatedOrigins.length > 0 && (hostname !== relyingPartyId || pathname !== "/")) {
    const detail = `${relatedOrigins.join(", ")} are not part of ${relyingPartyId}, so browsers look them up at https://${relyingPartyId}/.well-known/webauthn. Have that host's server forward this path to the service`;
    return { subject, verdict: "warning", detail };
  }
  const trust =
    passkeys.trustAnchors.length === 0 ? "" : `; ${passkeys.trustAnchors.length} trusted certificate(s)`;
  return { subject, verdict: "ok", detail: `for ${relyingPartyId}, used at ${origins.join(", ")}${trust}` };
}

/** Production is reached over TLS, and so through a proxy; if that is not trusted, all people seem to come from it. */
function checkProxies({ mode, trustedProxies }: Configuration): CheckFinding[] {
  if (mode !== "production" || trustedProxies.length > 0) return [];
  const detail =
    "trustedProxies is empty, so all visitors seem to come from the proxy and share its limits; add it: trustedProxies: [127.0.0.1]";
  return [{ subject: "proxies", verdict: "warning", detail }];
}

/** The proxy check needs both an application and somebody who may ask. */
function checkProxyCheck({ proxyCheck: { clientId, proxies } }: Configuration): CheckFinding[] {
  const subject = "proxy check";
  if (clientId === undefined && proxies.length === 0) return [];
  if (clientId === undefined) {
    const detail = "proxyCheck.clientId is missing; set it to the application behind the proxy";
    return [{ subject, verdict: "wrong", detail }];
  }
  if (proxies.length === 0) {
    const detail = "proxyCheck.proxies is empty, so nobody may ask; add the proxy: proxies: [127.0.0.1]";
    return [{ subject, verdict: "wrong", detail }];
  }
  return [{ subject, verdict: "ok", detail: `for ${clientId}, asked by ${proxies.join(", ")}` }];
}

function checkWebhooks({ webhooks, mode }: Configuration): CheckFinding[] {
  const { consult, notify } = webhooks;
  const subject = "webhooks";
  const said = [
    ...(consult.url === undefined
      ? []
      : [`${consult.url} is asked; without a response: ${consult.whenSilent}`]),
    ...(notify.url === undefined ? [] : [`${notify.url} is notified`]),
  ];
  if (said.length === 0) return [];
  const isLenient = consult.url !== undefined && consult.whenSilent === "allow" && mode === "production";
  return [{ subject, verdict: isLenient ? "warning" : "ok", detail: said.join("; ") }];
}

/** Templates that cannot be used were named when the configuration was read; here the mail server is asked. */
async function checkMail({ mail, mode, verifyEmail }: Configuration): Promise<CheckFinding> {
  const subject = "mail";
  if (mail.via !== "smtp") {
    if (mail.via === "mailbox")
      return { subject, verdict: "ok", detail: "collected in the built-in mailbox (development)" };
    const detail = "none: nobody can reset a password, verify an address or be invited; set mail.smtp.url";
    return { subject, verdict: "warning", detail };
  }
  const { host, port, isTls, mustStartTls, user, from } = mail;
  const where = `${host}:${port}${user === null ? "" : ` as ${user}`}`;
  const transport = openTransport(mail);
  try {
    await transport.verify();
  } catch (error) {
    const detail = `${where} does not accept mail: ${refusalOf(error).answer}; correct mail.smtp or start the server`;
    return { subject, verdict: "wrong", detail };
  } finally {
    transport.close();
  }
  if (mode === "production" && !isTls && !mustStartTls)
    return {
      subject,
      verdict: "warning",
      detail: `${where} may be used without TLS (mail.smtp.startTls)`,
    };
  return { subject, verdict: "ok", detail: `${where}, from ${from}; address verification: ${verifyEmail}` };
}

async function checkHashing(configuration: Configuration): Promise<CheckFinding> {
  const { measured, scheme } = createHashing(configuration);
  return judgeHashing(scheme.text, await measured);
}

/** What a scheme that was measured means for people and for whoever guesses. @param millisecondsPerHash on this machine. */
export function judgeHashing(scheme: string, millisecondsPerHash: number): CheckFinding {
  const subject = "password hashing";
  const took = `${scheme} takes about ${Math.round(millisecondsPerHash)} ms on this machine`;
  if (millisecondsPerHash < COMFORTABLE.least) {
    return { subject, verdict: "warning", detail: `${took}; that makes guessing cheap` };
  }
  if (millisecondsPerHash > COMFORTABLE.most) {
    return { subject, verdict: "warning", detail: `${took}; people will notice the wait` };
  }
  return { subject, verdict: "ok", detail: took };
}

async function checkPages(): Promise<CheckFinding> {
  try {
    await access(`${CONSOLE_DIRECTORY}index.html`);
    return { subject: "pages", verdict: "ok", detail: "built" };
  } catch {
    // Not readable is not built.
    return { subject: "pages", verdict: "wrong", detail: "not built; run: npm run build" };
  }
}

async function checkDatabase(configuration: Configuration): Promise<CheckFinding[]> {
  let dataSource;
  try {
    dataSource = await openDatabase(configuration);
  } catch (error) {
    if (!(error instanceof DatabaseUnavailable)) throw error;
    return [{ subject: "database", verdict: "wrong", detail: error.message }];
  }
  try {
    const [row] = await dataSource.query<Array<{ version: string }>>("SELECT VERSION() AS version");
    const { host, pathname } = new URL(configuration.database.url);
    const status = await schemaStatus(dataSource);
    const movedBy = status.current ? await readMovedClock(dataSource) : 0;
    const lost = status.current ? await lostPasskeys(dataSource, configuration) : null;
    const { clientId } = configuration.proxyCheck;
    const isKnown = async (name: string): Promise<boolean> =>
      !status.current || (await findByClientId(dataSource, name)) !== null;
    const isAppKnown = clientId === undefined || (await isKnown(clientId));
    const astray: string[] = [];
    for (const [name, landing] of Object.entries(configuration.landings)) {
      const app = appOfLanding(landing);
      if (app !== null && !(await isKnown(app))) astray.push(`landings.${name} is ${landing}`);
    }
    return [
      {
        subject: "database",
        verdict: "ok",
        detail: `${pathname.slice(1)} at ${host}, MariaDB ${row?.version ?? "?"}`,
      },
      status.current
        ? { subject: "schema", verdict: "ok", detail: `${status.migrations.length} migration(s) applied` }
        : {
            subject: "schema",
            verdict: "wrong",
            detail: "not up to date; run: lucchetto schema apply",
          },
      movedBy === 0
        ? { subject: "clock", verdict: "ok", detail: "not moved" }
        : {
            subject: "clock",
            verdict: configuration.mode === "production" ? "wrong" : "warning",
            detail: `moved by ${Math.round(movedBy / 1_000)} s; restore it with: lucchetto clock reset`,
          },
      ...(lost === null ? [] : [{ subject: "passkeys", verdict: "wrong" as const, detail: lost }]),
      ...(isAppKnown
        ? []
        : [
            {
              subject: "proxy check",
              verdict: "wrong" as const,
              detail: `proxyCheck.clientId is ${clientId}, but there is no such application; register it with: lucchetto app add`,
            },
          ]),
      ...astray.map((detail) => ({
        subject: "landings",
        verdict: "wrong" as const,
        detail: `${detail}, but there is no such application; register it with: lucchetto app add`,
      })),
    ];
  } finally {
    await dataSource.destroy();
  }
}
