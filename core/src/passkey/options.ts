/** What a browser is asked for: creation options (Web Authentication Level 3, section 5.4) and request options (section 5.5), as JSON. */
import { createHmac } from "node:crypto";
import type { CoseAlgorithm } from "./cose-key.ts";
import { PUBLIC_KEY } from "./credential.ts";

/** Random bytes of a challenge (section 13.4.3 wants 16 at least). */
export const CHALLENGE_BYTES = 32;
/** Milliseconds in which it is answered. */
export const CHALLENGE_LIFE = 5 * 60_000;
/** Random bytes of a user handle: it says nothing about whose it is (section 14.6.1). */
export const USER_HANDLE_BYTES = 32;
/** Passkeys that one account may have. */
export const MAX_PASSKEYS = 20;

/** A credential that is named to the browser. */
export interface NamedCredential {
  readonly credentialId: Uint8Array;
  readonly transports: readonly string[];
}

/** Options for creating a passkey, in JSON (Web Authentication Level 3 section 5.4). */
export interface CreationOptions {
  readonly challenge: Uint8Array;
  readonly relyingParty: { readonly id: string; readonly name: string };
  readonly user: { readonly handle: Uint8Array; readonly name: string; readonly displayName: string };
  readonly algorithms: readonly CoseAlgorithm[];
  /** The account's own: an authenticator holds one of them at most. */
  readonly excluded: readonly NamedCredential[];
  readonly attestation: "none" | "direct";
  /** Whether it is to stand alone: then the person is verified by it. */
  readonly standsAlone: boolean;
}

/** `PublicKeyCredentialCreationOptionsJSON`. */
export function creationOptions(options: CreationOptions) {
  const { challenge, relyingParty, user, algorithms, excluded, attestation, standsAlone } = options;
  return {
    rp: { id: relyingParty.id, name: relyingParty.name },
    user: { id: text(user.handle), name: user.name, displayName: user.displayName },
    challenge: text(challenge),
    pubKeyCredParams: algorithms.map((alg) => ({ type: PUBLIC_KEY, alg })),
    timeout: CHALLENGE_LIFE,
    excludeCredentials: excluded.map(descriptor),
    authenticatorSelection: {
      residentKey: wantedOf(standsAlone),
      requireResidentKey: standsAlone,
      userVerification: wantedOf(standsAlone),
    },
    attestation,
  };
}

/** `PublicKeyCredentialRequestOptionsJSON`. An empty list lets the browser offer every passkey that it has for this site. */
export function requestOptions({
  challenge,
  rpId,
  allowed,
  standsAlone,
}: {
  challenge: Uint8Array;
  rpId: string;
  allowed: readonly NamedCredential[];
  standsAlone: boolean;
}) {
  return {
    challenge: text(challenge),
    timeout: CHALLENGE_LIFE,
    rpId,
    allowCredentials: allowed.map(descriptor),
    userVerification: wantedOf(standsAlone),
  };
}

/**
 * Credentials that nobody has, always the same for a name: whoever begins with a name learns nothing about it (section 14.6.2).
 * @param key known to nobody outside.
 */
export function inventCredentials(key: Uint8Array, name: string): NamedCredential[] {
  const [kind = 0, many = 0, ...bytes] = createHmac("sha512", key).update(name).digest();
  const credentialId = Uint8Array.from(bytes.slice(0, kind % 2 === 0 ? 32 : 20));
  const transports = kind % 4 < 2 ? ["internal", "hybrid"] : ["internal"];
  const one = { credentialId, transports };
  return many % 4 > 0 ? [one] : [one, { ...one, credentialId: credentialId.map((byte) => byte ^ 0x5a) }];
}

function wantedOf(standsAlone: boolean): "required" | "preferred" {
  return standsAlone ? "required" : "preferred";
}

function descriptor({ credentialId, transports }: NamedCredential) {
  return {
    type: PUBLIC_KEY,
    id: text(credentialId),
    ...(transports.length === 0 ? {} : { transports: [...transports] }),
  };
}

function text(bytes: Uint8Array): string {
  return Buffer.from(bytes).toString("base64url");
}
