/** An authenticator app in a test's hands, beside the service's clock. */
import { routes } from "@lucchetto/contract";
import { readKeyUri, totp } from "@lucchetto/core";
import type { Clock, MovableClock } from "@lucchetto/service";
import type { TestService } from "./service.ts";

export interface TestAuthenticator {
  readonly id: string;
  readonly uri: string;
  readonly secret: string;
  /** Shown with the first authenticator. */
  readonly recoveryCodes: readonly string[];
  /** The session's new own token. */
  readonly token: string;
  /** The code of now; of so many steps later. */
  code(steps?: number): string;
  /** Moves the clock on by one step, whose code was not used yet. */
  nextCode(): Promise<string>;
}

/** Whose clock the codes go by; it is moved where it can be. */
interface Service extends Pick<TestService, "as"> {
  readonly clock: Clock & Partial<Pick<MovableClock, "advance">>;
}

/** The codes of a key URI, by the service's clock. */
export function codesOf(service: Pick<Service, "clock">, uri: string): (steps?: number) => string {
  const { secret, settings } = readKeyUri(uri);
  return (steps = 0) =>
    totp(secret, new Date(service.clock.now().getTime() + steps * settings.period * 1_000), settings);
}

/** Sets an authenticator up in a session that showed a proof a moment ago. */
export async function enrolAuthenticator(
  service: Service,
  ownToken: string,
  wanted: { name?: string; algorithm?: "SHA1" | "SHA256" | "SHA512"; digits?: 6 | 8; period?: 30 | 60 } = {},
): Promise<TestAuthenticator> {
  const call = service.as(ownToken);
  const { body } = await call(routes.enrolAuthenticator, { body: wanted });
  const { id, uri, secret } = body;
  const code = codesOf(service, uri);
  const activated = await call(routes.activateAuthenticator, { params: { id }, body: { code: code() } });
  const { recoveryCodes = [], token = "" } = activated.body;
  return {
    id,
    uri,
    secret,
    recoveryCodes,
    token,
    code,
    async nextCode() {
      await service.clock.advance?.((wanted.period ?? 30) * 1_000);
      return code();
    },
  };
}
