/**
 * The JSON forms of Web Authentication Level 3 (sections 5.1 and 5.4 to 5.5), as `PublicKeyCredential.toJSON` writes them and
 * `parseCreationOptionsFromJSON` and `parseRequestOptionsFromJSON` read them.
 */
import { readBase64url } from "./base64url.ts";
import { PasskeyFault } from "./fault.ts";

/** `RegistrationResponseJSON`, as far as it is read. Unknown members are left alone. */
export interface RegistrationResponseJSON {
  readonly id: string;
  readonly rawId: string;
  readonly type: string;
  readonly response: {
    readonly clientDataJSON: string;
    readonly attestationObject: string;
    readonly transports?: readonly string[] | undefined;
  };
}

/** `AuthenticationResponseJSON`, as far as it is read. */
export interface AuthenticationResponseJSON {
  readonly id: string;
  readonly rawId: string;
  readonly type: string;
  readonly response: {
    readonly clientDataJSON: string;
    readonly authenticatorData: string;
    readonly signature: string;
    readonly userHandle?: string | null | undefined;
  };
}

/** The type of every credential here. */
export const PUBLIC_KEY = "public-key" as const;

/** Reads the envelope. @returns the credential id. @throws PasskeyFault `passkey-malformed`. */
export function readEnvelope({ id, rawId, type }: { id: string; rawId: string; type: string }): Buffer {
  if (type !== PUBLIC_KEY)
    throw new PasskeyFault("passkey-malformed", `the credential's type is not ${PUBLIC_KEY}`);
  if (id !== rawId) throw new PasskeyFault("passkey-malformed", "id and rawId differ");
  return readBase64url(id, "id");
}
