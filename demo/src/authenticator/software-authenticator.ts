/**
 * An authenticator in software, for people without a device: it makes passkeys and signs with them (Web Authentication Level 3,
 * sections 6.3.2 and 6.3.3), beside the browser's part, the client data. Every part can be altered before it is signed, so that
 * whoever verifies can be tried.
 */
import type { KeyObject } from "node:crypto";
import { createHash, createPrivateKey, generateKeyPairSync, randomBytes, sign } from "node:crypto";
import { encode } from "cborg";

/** What a service asks for; `PublicKeyCredentialCreationOptionsJSON`, as far as it is read. */
interface CreationOptionsJSON {
  readonly rp: { readonly id?: string };
  readonly user: { readonly id: string };
  readonly challenge: string;
  readonly pubKeyCredParams: ReadonlyArray<{ readonly alg: number }>;
}

/** `PublicKeyCredentialRequestOptionsJSON`, as far as it is read. */
interface RequestOptionsJSON {
  readonly rpId?: string;
  readonly challenge: string;
}

/** A passkey with its private key. */
export interface SoftwarePasskey {
  /** base64url. */
  readonly id: string;
  readonly rpId: string;
  /** base64url; says to the service whose it is. */
  readonly userHandle: string;
  readonly algorithm: number;
  /** PKCS#8 in PEM. */
  readonly privateKey: string;
  readonly signCount: number;
  readonly isSynced: boolean;
}

/** IANA's COSE algorithms that it makes keys of. */
export const ALGORITHM = { EdDSA: -8, ES256: -7, ES384: -35, ES512: -36, RS256: -257 } as const;

/** The flags of authenticator data (section 6.1). */
export const FLAG = { UP: 0x01, UV: 0x04, BE: 0x08, BS: 0x10, AT: 0x40, ED: 0x80 } as const;

/** How an authenticator and its browser behave; everything has a usual value. */
export interface Behaviour {
  readonly origin: string;
  readonly userVerified?: boolean;
  readonly isSynced?: boolean;
  readonly signCount?: number;
  /** Of the key to be made; the first one offered that it can make. */
  readonly algorithm?: number;
  readonly aaguid?: Uint8Array;
  readonly credentialId?: Uint8Array;
  readonly transports?: readonly string[];
  readonly attestation?: Attest;
  /** For trying what verifies: each alters a part before anything is signed over it. */
  readonly alter?: {
    readonly clientData?: (clientData: Record<string, unknown>) => unknown;
    readonly clientDataBytes?: (bytes: Buffer) => Buffer;
    readonly flags?: (flags: number) => number;
    readonly rpIdHash?: (hash: Buffer) => Buffer;
    readonly key?: (key: Map<number, unknown>) => unknown;
    readonly authenticatorData?: (bytes: Buffer) => Buffer;
    readonly attestationObject?: (object: Record<string, unknown>) => unknown;
    readonly signature?: (signature: Buffer) => Buffer;
  };
}

/** What an attestation statement is made of. */
interface ToAttest {
  readonly authenticatorData: Buffer;
  readonly clientDataHash: Buffer;
  readonly privateKey: KeyObject;
  readonly algorithm: number;
  readonly credentialId: Buffer;
}
export type Attest = (about: ToAttest) => { fmt: string; attStmt: Record<string, unknown> };

/** Nobody vouches for the authenticator. */
export const attestNothing: Attest = () => ({ fmt: "none", attStmt: {} });

/** The passkey's own key vouches (section 8.2, self attestation). */
export const attestItself: Attest = ({ authenticatorData, clientDataHash, privateKey, algorithm }) => ({
  fmt: "packed",
  attStmt: {
    alg: algorithm,
    sig: signWith({ privateKey, algorithm }, Buffer.concat([authenticatorData, clientDataHash])),
  },
});

/** Makes a passkey. @returns it, and the answer for the service (`RegistrationResponseJSON`). */
export function makePasskey(options: CreationOptionsJSON, behaviour: Behaviour) {
  const { origin, alter = {} } = behaviour;
  const offered = options.pubKeyCredParams.map(({ alg }) => alg);
  const known: readonly number[] = Object.values(ALGORITHM);
  const algorithm = behaviour.algorithm ?? offered.find((alg) => known.includes(alg)) ?? ALGORITHM.ES256;
  const privateKey = generateKey(algorithm);
  const credentialId = Buffer.from(behaviour.credentialId ?? randomBytes(32));
  const rpId = options.rp.id ?? new URL(origin).hostname;
  const isSynced = behaviour.isSynced ?? true;
  const signCount = behaviour.signCount ?? 0;
  const clientData = clientDataOf("webauthn.create", options.challenge, behaviour);
  const key = coseKeyOf(privateKey, algorithm);
  const attested = Buffer.concat([
    Buffer.from(behaviour.aaguid ?? new Uint8Array(16)),
    uint16(credentialId.length),
    credentialId,
    Buffer.from(encode(alter.key === undefined ? key : alter.key(key))),
  ]);
  const authenticatorData = dataOf(rpId, { ...behaviour, isSynced, signCount, attested });
  const clientDataHash = sha256(clientData);
  const about = { authenticatorData, clientDataHash, privateKey, algorithm, credentialId };
  const { fmt, attStmt } = (behaviour.attestation ?? attestNothing)(about);
  const object = { fmt, attStmt, authData: authenticatorData };
  const attestationObject = encode(
    alter.attestationObject === undefined ? object : alter.attestationObject(object),
  );
  const id = credentialId.toString("base64url");
  const passkey: SoftwarePasskey = {
    id,
    rpId,
    userHandle: options.user.id,
    algorithm,
    privateKey: privateKey.export({ format: "pem", type: "pkcs8" }) as string,
    signCount,
    isSynced,
  };
  return {
    passkey,
    credential: {
      id,
      rawId: id,
      type: "public-key",
      authenticatorAttachment: "platform",
      clientExtensionResults: {},
      response: {
        clientDataJSON: clientData.toString("base64url"),
        attestationObject: Buffer.from(attestationObject).toString("base64url"),
        transports: [...(behaviour.transports ?? ["internal", "hybrid"])],
      },
    },
  };
}

/** Signs in with a passkey. @returns the passkey with its counter moved on, and the answer (`AuthenticationResponseJSON`). */
export function usePasskey(passkey: SoftwarePasskey, options: RequestOptionsJSON, behaviour: Behaviour) {
  const { alter = {} } = behaviour;
  const signCount = behaviour.signCount ?? (passkey.signCount === 0 ? 0 : passkey.signCount + 1);
  const isSynced = behaviour.isSynced ?? passkey.isSynced;
  const clientData = clientDataOf("webauthn.get", options.challenge, behaviour);
  const rpId = options.rpId ?? passkey.rpId;
  const authenticatorData = dataOf(rpId, { ...behaviour, isSynced, signCount, attested: null });
  const key = { privateKey: createPrivateKey(passkey.privateKey), algorithm: passkey.algorithm };
  const signature = signWith(key, Buffer.concat([authenticatorData, sha256(clientData)]));
  return {
    passkey: { ...passkey, signCount },
    credential: {
      id: passkey.id,
      rawId: passkey.id,
      type: "public-key",
      authenticatorAttachment: "platform",
      clientExtensionResults: {},
      response: {
        clientDataJSON: clientData.toString("base64url"),
        authenticatorData: authenticatorData.toString("base64url"),
        signature: (alter.signature?.(signature) ?? signature).toString("base64url"),
        userHandle: passkey.userHandle,
      },
    },
  };
}

/** The signature of a COSE algorithm; ECDSA's in DER. */
export function signWith(
  { privateKey, algorithm }: { privateKey: KeyObject; algorithm: number },
  bytes: Buffer,
): Buffer {
  return sign(HASHES[algorithm] ?? null, bytes, privateKey);
}

/** The members of a COSE_Key (RFC 9052 section 7). */
export function coseKeyOf(privateKey: KeyObject, algorithm: number): Map<number, unknown> {
  // Of a copy: while a key that was just generated is exported as JWK, Node 20 holds the lock that the generator's remains take when
  // memory is tidied up, and waits for itself for ever.
  const copy = createPrivateKey({
    key: privateKey.export({ format: "der", type: "pkcs8" }),
    format: "der",
    type: "pkcs8",
  });
  const { x = "", y = "", n = "", e = "" } = copy.export({ format: "jwk" });
  const bytes = (text: string) => Uint8Array.from(Buffer.from(text, "base64url"));
  const curve = CURVES[algorithm];
  if (algorithm === ALGORITHM.RS256)
    return new Map<number, unknown>([
      [1, 3],
      [3, algorithm],
      [-1, bytes(n)],
      [-2, bytes(e)],
    ]);
  if (curve === undefined)
    return new Map<number, unknown>([
      [1, 1],
      [3, algorithm],
      [-1, 6],
      [-2, bytes(x)],
    ]);
  return new Map<number, unknown>([
    [1, 2],
    [3, algorithm],
    [-1, curve.crv],
    [-2, bytes(x)],
    [-3, bytes(y)],
  ]);
}

const HASHES: Readonly<Record<number, string>> = {
  [ALGORITHM.ES256]: "sha256",
  [ALGORITHM.ES384]: "sha384",
  [ALGORITHM.ES512]: "sha512",
  [ALGORITHM.RS256]: "sha256",
};

const CURVES: Readonly<Record<number, { name: string; crv: number }>> = {
  [ALGORITHM.ES256]: { name: "P-256", crv: 1 },
  [ALGORITHM.ES384]: { name: "P-384", crv: 2 },
  [ALGORITHM.ES512]: { name: "P-521", crv: 3 },
};

function generateKey(algorithm: number): KeyObject {
  if (algorithm === ALGORITHM.RS256) return generateKeyPairSync("rsa", { modulusLength: 2_048 }).privateKey;
  const curve = CURVES[algorithm];
  if (curve === undefined) return generateKeyPairSync("ed25519").privateKey;
  return generateKeyPairSync("ec", { namedCurve: curve.name }).privateKey;
}

function clientDataOf(type: string, challenge: string, { origin, alter = {} }: Behaviour): Buffer {
  const plain = { type, challenge, origin, crossOrigin: false };
  const bytes = Buffer.from(JSON.stringify(alter.clientData === undefined ? plain : alter.clientData(plain)));
  return alter.clientDataBytes?.(bytes) ?? bytes;
}

function dataOf(
  rpId: string,
  {
    userVerified = true,
    isSynced = false,
    signCount = 0,
    attested,
    alter = {},
  }: Partial<Behaviour> & { attested: Buffer | null },
): Buffer {
  const usual =
    FLAG.UP |
    (userVerified ? FLAG.UV : 0) |
    (isSynced ? FLAG.BE | FLAG.BS : 0) |
    (attested === null ? 0 : FLAG.AT);
  const hash = sha256(Buffer.from(rpId));
  const counter = Buffer.alloc(4);
  counter.writeUInt32BE(signCount);
  const bytes = Buffer.concat([
    alter.rpIdHash?.(hash) ?? hash,
    Buffer.of(alter.flags?.(usual) ?? usual),
    counter,
    attested ?? Buffer.alloc(0),
  ]);
  return alter.authenticatorData?.(bytes) ?? bytes;
}

function sha256(bytes: Buffer): Buffer {
  return createHash("sha256").update(bytes).digest();
}

function uint16(value: number): Buffer {
  const bytes = Buffer.alloc(2);
  bytes.writeUInt16BE(value);
  return bytes;
}
