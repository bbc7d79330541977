/** At which pages passkeys are made and used. */
import { isWithin } from "../../base/config/passkeys.ts";
import { ProblemReply } from "../../base/problem.ts";
import { findApp } from "../../records/app/store.ts";
import type { ServiceContext } from "../../records/context.ts";

/**
 * The origins whose answers count: ours, those configured, and, of an app with forms of its own, those of its return addresses that lie within
 * the relying party's domain (Web Authentication Level 3, section 5.1.3).
 * @param appId of the app in which the challenge was issued; `null`: at our own pages.
 */
export async function originsFor(context: ServiceContext, appId: string | null): Promise<readonly string[]> {
  const { origins } = context.configuration.passkeys;
  return appId === null ? origins : [...origins, ...(await originsOf(context, appId)).within];
}

/** @throws ProblemReply `passkey-at-our-page` for an app at none of whose pages a browser would do it. */
export async function assertUsableBy(context: ServiceContext, appId: string | null): Promise<void> {
  if (appId === null) return;
  const { publicUrl, passkeys } = context.configuration;
  const { all, within } = await originsOf(context, appId);
  if (within.length > 0 || all.some((one) => passkeys.origins.includes(one))) return;
  throw new ProblemReply("passkey-at-our-page", {
    detail: `${all.join(", ")} is not within ${passkeys.relyingPartyId}, the relying party, nor listed under passkeys.origins. Send people to ${publicUrl}/sign-in to use a passkey, and to ${publicUrl}/account to add one.`,
  });
}

/** Of an app's return addresses: all, and those within the relying party's domain. */
async function originsOf({ dataSource, configuration }: ServiceContext, appId: string) {
  const app = await findApp(dataSource, appId);
  const all = [...new Set(app?.redirectUris.map((one) => new URL(one).origin))];
  const { relyingPartyId } = configuration.passkeys;
  return { all, within: all.filter((one) => isWithin(new URL(one).hostname, relyingPartyId)) };
}
