/** Signing out of Lucchetto from an application (OpenID Connect RP-Initiated Logout 1.0). */
import { ProblemReply } from "../../base/problem.ts";
import { findByClientId } from "../../records/app/store.ts";
import type { ServiceContext } from "../../records/context.ts";
import { unregisteredAddress } from "./authorize.ts";
import { parameter } from "./form.ts";

/**
 * What the sign-out page is asked with. `logout_hint` is the session's id (`sid` of introspection): who knows it is an application of this
 * very session, and nobody is asked again. Everybody else is, so that no foreign page signs anybody out by a link.
 * @throws OAuthRefusal for a doubled parameter. @throws ProblemReply in development, for an address that is not registered: elsewhere
 *   people sign out all the same, and stay here.
 */
export async function endSession(
  { dataSource, configuration }: Pick<ServiceContext, "dataSource" | "configuration">,
  asked: URLSearchParams,
): Promise<Record<string, string>> {
  const clientId = parameter(asked, "client_id");
  const returnTo = parameter(asked, "post_logout_redirect_uri");
  const state = parameter(asked, "state");
  const sid = parameter(asked, "logout_hint");
  if (configuration.mode === "development" && clientId !== undefined && returnTo !== undefined) {
    const app = await findByClientId(dataSource, clientId);
    if (app === null) throw new ProblemReply("unknown-app");
    if (!app.signedOutUris.includes(returnTo))
      throw unregisteredAddress(configuration, { asked: returnTo, registered: app.signedOutUris });
  }
  return {
    ...(clientId === undefined ? {} : { client_id: clientId }),
    ...(returnTo === undefined ? {} : { return_to: returnTo }),
    ...(state === undefined ? {} : { state }),
    ...(sid === undefined ? {} : { sid }),
  };
}
