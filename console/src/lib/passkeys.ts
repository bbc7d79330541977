/**
 * Passkeys in the browser (Web Authentication Level 3): options and answers travel in the standard's JSON form. Where the browser lacks
 * the helpers for it, the bytes are read and written here.
 */
import type {
  AssertionCredential,
  CreationOptions,
  PasskeyPurpose,
  RegistrationCredential,
  RequestOptions,
} from "@lucchetto/contract";
import { routes } from "virtual:routes";
import { texts } from "../texts/texts.ts";
import { call } from "./page.ts";

/** The answer to a challenge, as a proof. */
export interface PasskeyProof {
  readonly type: "passkey";
  readonly challengeId: string;
  readonly credential: AssertionCredential;
}

/** What the browser did not do, in a calm sentence. Whether a person did not go on or nothing could be offered it does not say. */
export class PasskeyUnused extends Error {
  override readonly name = "PasskeyUnused";
}

/** Whether this browser knows passkeys at all; on plain http it does not. */
export const knowsPasskeys = typeof window.PublicKeyCredential === "function";

/** Whether the browser offers passkeys among what it fills in. */
export async function offersWhileTyping(): Promise<boolean> {
  return knowsPasskeys && (await PublicKeyCredential.isConditionalMediationAvailable?.()) === true;
}

/** Has an authenticator answer. @param whileTyping ends the offer among what the browser fills in. @throws PasskeyUnused. */
export async function askForPasskey(
  purpose: PasskeyPurpose & ("sign-in" | "reauthenticate"),
  { identifier, whileTyping }: { identifier?: string; whileTyping?: AbortSignal } = {},
): Promise<PasskeyProof> {
  const { body } = await call(routes.beginPasskey, {
    body: { purpose, ...(identifier === undefined ? {} : { identifier }) },
  });
  const publicKey = await readRequest(body.options as RequestOptions);
  const credential = await orSay(
    navigator.credentials.get({
      publicKey,
      ...(whileTyping === undefined ? {} : { mediation: "conditional", signal: whileTyping }),
    }),
  );
  return {
    type: "passkey",
    challengeId: body.challengeId,
    credential: (await write(credential as PublicKeyCredential)) as AssertionCredential,
  };
}

/** Has an authenticator make a passkey. @throws PasskeyUnused. */
export async function makePasskey(purpose: "register" | "enrol", identifier?: string) {
  const { body } = await call(routes.beginPasskey, {
    body: { purpose, ...(identifier === undefined ? {} : { identifier }) },
  });
  const publicKey = await readCreation(body.options as CreationOptions);
  const credential = await orSay(navigator.credentials.create({ publicKey }));
  return {
    challengeId: body.challengeId,
    credential: (await write(credential as PublicKeyCredential)) as RegistrationCredential,
  };
}

/** Tells the browser what is no longer accepted, or what somebody is called now; browsers without these calls keep what they have. */
export function tellBrowser(
  signal: "signalUnknownCredential" | "signalAllAcceptedCredentials" | "signalCurrentUserDetails",
  about: object,
): void {
  const known = window.PublicKeyCredential as unknown as Partial<
    Record<typeof signal, (about: object) => Promise<void>>
  >;
  // Only a hint to the browser: whether it takes it changes nothing here.
  if (knowsPasskeys) void known[signal]?.(about).catch(() => undefined);
}

async function orSay(asked: Promise<Credential | null>): Promise<Credential> {
  let name = "NotAllowedError";
  try {
    const credential = await asked;
    if (credential !== null) return credential;
  } catch (error) {
    ({ name } = error as Error);
  }
  const sentences: Readonly<Record<string, string>> = texts.passkeys.unused;
  throw new PasskeyUnused(sentences[name] ?? texts.passkeys.unused.NotAllowedError);
}

/** Few browsers come here without these helpers; everybody else's page does without the weight of their stand-ins. */
const standIns = () => import("./passkey-json.ts");

async function readRequest(options: RequestOptions): Promise<PublicKeyCredentialRequestOptions> {
  const parse = window.PublicKeyCredential.parseRequestOptionsFromJSON;
  return parse === undefined ? (await standIns()).readRequest(options) : parse(options);
}

async function readCreation(options: CreationOptions): Promise<PublicKeyCredentialCreationOptions> {
  const parse = window.PublicKeyCredential.parseCreationOptionsFromJSON;
  return parse === undefined ? (await standIns()).readCreation(options) : parse(options);
}

async function write(credential: PublicKeyCredential): Promise<unknown> {
  return credential.toJSON === undefined ? (await standIns()).write(credential) : credential.toJSON();
}
