/** The JSON forms of Web Authentication Level 3, for browsers that lack `parse…FromJSON` and `toJSON`. */
import type { CreationOptions, RequestOptions } from "@lucchetto/contract";

export function readRequest(options: RequestOptions): PublicKeyCredentialRequestOptions {
  return {
    ...options,
    challenge: bytesOf(options.challenge),
    allowCredentials: options.allowCredentials.map(readDescriptor),
  };
}

export function readCreation(options: CreationOptions): PublicKeyCredentialCreationOptions {
  return {
    ...options,
    challenge: bytesOf(options.challenge),
    user: { ...options.user, id: bytesOf(options.user.id) },
    excludeCredentials: options.excludeCredentials.map(readDescriptor),
  };
}

function readDescriptor({ id, ...descriptor }: RequestOptions["allowCredentials"][number]) {
  return { ...descriptor, id: bytesOf(id) } as PublicKeyCredentialDescriptor;
}

export function write(credential: PublicKeyCredential): unknown {
  const { id, type, response } = credential;
  const parts = response as AuthenticatorAttestationResponse & AuthenticatorAssertionResponse;
  const { attestationObject, authenticatorData, signature, userHandle } = parts;
  return {
    id,
    rawId: id,
    type,
    clientExtensionResults: {},
    response: {
      clientDataJSON: textOf(parts.clientDataJSON),
      ...(attestationObject === undefined
        ? {
            authenticatorData: textOf(authenticatorData),
            signature: textOf(signature),
            ...(userHandle === null ? {} : { userHandle: textOf(userHandle) }),
          }
        : { attestationObject: textOf(attestationObject), transports: parts.getTransports?.() ?? [] }),
    },
  };
}

function bytesOf(text: string): Uint8Array<ArrayBuffer> {
  return Uint8Array.from(atob(text.replaceAll("-", "+").replaceAll("_", "/")), (one) => one.charCodeAt(0));
}

function textOf(bytes: ArrayBuffer): string {
  const binary = String.fromCharCode(...new Uint8Array(bytes));
  return btoa(binary).replaceAll("+", "-").replaceAll("/", "_").replaceAll("=", "");
}
