/** A passkey in a test's hands: made and used by the authenticator in software, at a visitor's browser or as a program. */
import type { CreationOptions, RequestOptions } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import type { Behaviour, SoftwarePasskey } from "../demo/src/authenticator/software-authenticator.ts";
import { makePasskey, usePasskey } from "../demo/src/authenticator/software-authenticator.ts";
import type { TestService } from "./service.ts";
import { PASSWORD } from "./service.ts";
import type { Reply } from "./visitor.ts";
import { Visitor } from "./visitor.ts";

interface Begun {
  challengeId: string;
  options: CreationOptions & RequestOptions;
  expiresAt: string;
}

/** Begins, in a browser. */
export async function beginAt(who: Visitor, purpose: string, more: object = {}): Promise<Begun> {
  const reply = await who.post("/v1/passkey-challenges", { purpose, ...more });
  if (reply.status !== 201) throw new Error(`${purpose} was not begun: ${reply.text}`);
  return reply.json<Begun>();
}

export const passwordOf = (identifier: string) => ({
  proof: { type: "password", identifier, password: PASSWORD },
});

export const signedIn = (reply: Reply) =>
  reply.json<{ session: { aal: number; amr: string[] }; account: { email: string } }>();

/** Somebody signed in at a browser. */
export async function personAt(service: TestService, name: string) {
  const email = `${name}@brina.example`;
  const { id } = await service.register(email);
  const browser = new Visitor(service);
  const reply = await browser.post("/v1/sign-in", passwordOf(email));
  if (reply.status !== 201) throw new Error(`${name} is not signed in: ${reply.text}`);
  return { id, email, browser };
}

export type How = Partial<Behaviour>;

/** The answer to what was begun, as a proof. */
export function proofOf(service: TestService, passkey: SoftwarePasskey, begun: Begun, how: How = {}) {
  const used = usePasskey(passkey, begun.options, { origin: new URL(service.url).origin, ...how });
  const { challengeId } = begun;
  return {
    passkey: used.passkey,
    proof: { type: "passkey" as const, challengeId, credential: used.credential },
  };
}

/** Signs in by a passkey alone. */
export async function signInBy(
  service: TestService,
  who: Visitor,
  passkey: SoftwarePasskey,
  { how = {}, ...more }: { how?: How; identifier?: string } = {},
): Promise<Reply> {
  const { proof } = proofOf(service, passkey, await beginAt(who, "sign-in", more), how);
  return who.post("/v1/sign-in", { proof });
}

/** Makes a passkey for what was begun. */
export function madeFor(service: TestService, begun: Begun, how: How = {}) {
  const made = makePasskey(begun.options, { origin: new URL(service.url).origin, ...how });
  return { passkey: made.passkey, answer: { challengeId: begun.challengeId, credential: made.credential } };
}

/** Adds a passkey in a browser whose session showed a proof a moment ago. */
export async function addPasskeyAt(
  service: TestService,
  who: Visitor,
  how: How = {},
): Promise<{ passkey: SoftwarePasskey; reply: Reply }> {
  const { passkey, answer } = madeFor(service, await beginAt(who, "enrol"), how);
  return { passkey, reply: await who.post("/v1/account/passkeys", answer) };
}

/** Adds a passkey as a program, in a session that showed a proof a moment ago. */
export async function addPasskey(service: TestService, ownToken: string, how: How = {}) {
  const call = service.as(ownToken);
  const { body: begun } = await call(routes.beginPasskey, { body: { purpose: "enrol" } });
  const { passkey, answer } = madeFor(service, begun as Begun, how);
  const { body } = await call(routes.addPasskey, { body: answer });
  return { ...body, passkey };
}
