/** Which service to talk to and as whom: profiles in a file of mode 0600. */
import { readFileSync } from "node:fs";
import { join } from "node:path";
import type { Client } from "@lucchetto/contract";
import { createClient, routes } from "@lucchetto/contract";
import { isLoopbackHost } from "@lucchetto/core";
import type { Command } from "commander";
import { Failure } from "./failure.ts";
import { readPrivately, writePrivately } from "./private-file.ts";
import type { Proving } from "./prove-again.ts";
import { problemCodeOf, proveAgain, wantsProof } from "./prove-again.ts";
import { terminal } from "./terminal.ts";

const DEFAULT_URL = "http://localhost:8420";
const DEFAULT_PROFILE = "default";

interface Profile {
  readonly url: string;
  readonly token: string;
}

export interface Connection {
  readonly url: string;
  readonly profile: string;
  /** Calls as nobody. */
  readonly client: Client;
  /** Calls as whoever signed in. @throws Failure if nobody did. */
  signedIn(): Client;
  /** Keeps the own token for the commands that follow. A sign-in that was kept before ends, and that is said. */
  keepInstead(token: string): Promise<void>;
  /** Forgets it. */
  forget(): void;
}

/** Reads `--url` and `--profile`, the environment, and the credentials file. */
export function connect(command: Command): Connection {
  const options = command.optsWithGlobals<{ url?: string; profile?: string; proofStdin?: boolean }>();
  const profile = options.profile ?? terminal().env["LUCCHETTO_PROFILE"] ?? DEFAULT_PROFILE;
  const profiles = readProfiles();
  const kept = Object.hasOwn(profiles, profile) ? profiles[profile] : undefined;
  const url = readUrl(
    options.url ?? terminal().env["LUCCHETTO_URL"] ?? kept?.url ?? urlOfDemo() ?? DEFAULT_URL,
  );
  return {
    url,
    profile,
    client: createClient({ baseUrl: url }),
    signedIn() {
      // A token is shown only to the service that gave it.
      if (kept?.url !== url) throw new Failure(`Nobody is signed in at ${url}. Run: lucchetto sign-in`);
      return provingClient({ url, token: kept.token, fromStdin: options.proofStdin === true }, (token) =>
        writeProfiles({ ...readProfiles(), [profile]: { url, token } }),
      );
    },
    async keepInstead(token) {
      writeProfiles({ ...readProfiles(), [profile]: { url, token } });
      if (kept === undefined || kept.token === token) return;
      const isOver = await createClient({ baseUrl: kept.url, token: kept.token })(routes.signOut).then(
        () => false,
        // It had ended by itself, or its service is not there.
        () => true,
      );
      if (!isOver) terminal().stderr.write("The earlier sign-in that was kept here has been ended.\n");
    },
    forget() {
      const { [profile]: _, ...others } = readProfiles();
      writeProfiles(others);
    },
  };
}

/** A client that asks for a fresh proof where one is wanted, keeps the new token, and calls again. */
function provingClient(proving: Proving, keep: (token: string) => void): Client {
  let { token } = proving;
  const call: Client = async (route, ...parts) => {
    try {
      return await createClient({ baseUrl: proving.url, token })(route, ...parts);
    } catch (error) {
      if (!wantsProof(error)) throw (await endedByClock(error, proving.url)) ?? error;
      token = await proveAgain({ ...proving, token });
      keep(token);
      return createClient({ baseUrl: proving.url, token })(route, ...parts);
    }
  };
  return call;
}

/** In development: whoever moved the clock has ended the kept sign-in by it. @returns `null` where that is not the reason. */
async function endedByClock(error: unknown, url: string): Promise<Failure | null> {
  if (problemCodeOf(error) !== "not-signed-in") return null;
  try {
    const { movedBy } = (await createClient({ baseUrl: url })(routes.showClock)).body;
    if (movedBy <= 0) return null;
    return new Failure(
      `The sign-in that was kept has ended: the service's clock was moved ${Math.round(movedBy / 60_000)} minutes ahead. Run: lucchetto clock reset, or lucchetto sign-in`,
    );
  } catch {
    // Production has no such call; then the service's own words stand.
    return null;
  }
}

/** Of the demo that was started in this folder, whatever its port. */
function urlOfDemo(): string | undefined {
  try {
    const facts = JSON.parse(readFileSync(join(terminal().cwd, ".lucchetto", "demo.json"), "utf8")) as {
      url?: unknown;
    };
    // Of this machine alone: whoever wrote a folder that somebody works in must not learn a password by it.
    return typeof facts.url === "string" && isLoopbackHost(new URL(facts.url).hostname)
      ? facts.url
      : undefined;
  } catch {
    // There is no demo here.
    return undefined;
  }
}

function readUrl(text: string): string {
  const url = URL.canParse(text) ? new URL(text) : null;
  if (url?.protocol === "http:" || url?.protocol === "https:") return text.replace(/\/+$/, "");
  throw new Failure(`--url: found ${JSON.stringify(text)}, expected an address such as ${DEFAULT_URL}`, 2);
}

const CREDENTIALS = "credentials.json";

function readProfiles(): Record<string, Profile> {
  return readPrivately<Profile>(CREDENTIALS);
}

function writeProfiles(profiles: Record<string, Profile>): void {
  writePrivately(CREDENTIALS, profiles);
}
