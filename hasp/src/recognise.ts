/** Who sends a request: somebody with a check token in the cookie, or a script with credentials in its header. */
import type { ActiveIntrospection } from "@lucchetto/contract/apps";
import type { SignedInAccount } from "./account.ts";
import { accountOf, accountWithoutSession } from "./account.ts";
import type { HaspCookies } from "./cookies.ts";
import type { Credentials } from "./credentials.ts";
import { readAuthorization } from "./credentials.ts";
import type { IncomingRequest } from "./incoming-request.ts";
import type { HaspSettings } from "./options.ts";
import type { RecentAnswers } from "./recent.ts";
import type { Lucchetto } from "./service.ts";
import { LucchettoUnreachable } from "./service.ts";

interface Recogniser {
  /**
   * `null` for nobody.
   * @param isFreshWanted whether only an answer of this moment will do.
   * @throws LucchettoUnreachable; LucchettoRefused where tries are throttled.
   */
  recognise(visit: IncomingRequest, isFreshWanted?: boolean): Promise<SignedInAccount | null>;
}

/** Milliseconds for which an answer of before may stand in while Lucchetto cannot be reached. */
const LAST_KNOWN_LIFE = 5 * 60_000;

export function createRecogniser(
  settings: HaspSettings,
  {
    lucchetto,
    cookies,
    recent,
  }: {
    lucchetto: Pick<Lucchetto, "introspect" | "checkBasic">;
    cookies: Pick<HaspCookies, "readCheckToken">;
    recent: RecentAnswers;
  },
): Recogniser {
  const { keepAnswersFor, whenUnreachable } = settings;
  const isKept = keepAnswersFor > 0 || whenUnreachable === "last-known";

  /** Nothing is kept unless an application chose so. */
  function askAbout(token: string, isFreshWanted: boolean): Promise<ActiveIntrospection | null> {
    return isKept ? askOrRemember(token, isFreshWanted) : lucchetto.introspect(token);
  }

  async function askOrRemember(token: string, isFreshWanted: boolean): Promise<ActiveIntrospection | null> {
    const before = isFreshWanted || keepAnswersFor === 0 ? null : recent.read(token, keepAnswersFor);
    if (before !== null) return before;
    try {
      const who = await lucchetto.introspect(token);
      if (who === null) recent.forget(token);
      else recent.keep(token, who);
      return who;
    } catch (error) {
      const mayStandIn = error instanceof LucchettoUnreachable && whenUnreachable === "last-known";
      const last = mayStandIn && !isFreshWanted ? recent.read(token, LAST_KNOWN_LIFE) : null;
      if (last === null) throw error;
      return last;
    }
  }

  async function recogniseScript(
    credentials: Credentials,
    { address, headers }: IncomingRequest,
  ): Promise<SignedInAccount | null> {
    if (credentials.kind === "access-key") {
      const who = await lucchetto.introspect(credentials.key, credentials.username);
      return who && accountOf(who);
    }
    if (address === undefined) return null;
    const { username: identifier, password } = credentials;
    const userAgent = headers["user-agent"];
    const account = await lucchetto.checkBasic({ identifier, password, address, userAgent });
    return account && accountWithoutSession(account, settings.service);
  }

  return {
    async recognise(visit, isFreshWanted = false) {
      const { headers } = visit;
      const credentials = readAuthorization(headers.authorization, settings);
      if (credentials !== null) return recogniseScript(credentials, visit);
      const token = cookies.readCheckToken(headers.cookie);
      const who = token === undefined ? null : await askAbout(token, isFreshWanted);
      return who && accountOf(who);
    },
  };
}
