/**
 * Credential public keys: COSE_Key (RFC 9052 section 7) of the algorithms that browsers' authenticators make, and the
 * signatures by them (Web Authentication Level 3, section 5.8.5).
 */
import type { KeyObject } from "node:crypto";
import { createPublicKey, verify } from "node:crypto";
import { ed25519 } from "@noble/curves/ed25519.js";
import type { CborMap } from "./cbor.ts";
import { asBytes, asMap, CborError, decodeCbor } from "./cbor.ts";
import { PasskeyFault } from "./fault.ts";

/** IANA's COSE algorithms that are known here. */
export const COSE_ALGORITHM = { EdDSA: -8, ES256: -7, ES384: -35, ES512: -36, RS256: -257 } as const;
/** Signature algorithms of passkeys by their COSE numbers (RFC 9053). */
export type CoseAlgorithm = (typeof COSE_ALGORITHM)[keyof typeof COSE_ALGORITHM];

/** A public key that was read and holds. */
export interface CredentialKey {
  readonly algorithm: CoseAlgorithm;
  readonly key: KeyObject;
}

/** RFC 9052 section 7.1 and RFC 9053 section 7: labels of a key's members. */
const LABEL = { kty: 1, alg: 3, crv: -1, x: -2, y: -3 } as const;
const RSA = { n: -1, e: -2, firstPrivate: -3 } as const;
const D = -4;

interface EllipticCurve {
  readonly crv: number;
  readonly name: string;
  /** Bytes of a coordinate. */
  readonly bytes: number;
  readonly hash: string;
}

const CURVES: Readonly<Partial<Record<CoseAlgorithm, EllipticCurve>>> = {
  [COSE_ALGORITHM.ES256]: { crv: 1, name: "P-256", bytes: 32, hash: "sha256" },
  [COSE_ALGORITHM.ES384]: { crv: 2, name: "P-384", bytes: 48, hash: "sha384" },
  [COSE_ALGORITHM.ES512]: { crv: 3, name: "P-521", bytes: 66, hash: "sha512" },
};

const KTY = { OKP: 1, EC2: 2, RSA: 3 } as const;
const ED25519 = { crv: 6, bytes: 32 } as const;
const RSA_BITS = { least: 2_048, most: 8_192 } as const;

/** Reads a COSE_Key. @throws PasskeyFault `passkey-key-malformed`, `passkey-algorithm-not-offered` for an algorithm that is not known here. */
export function readCredentialKey(bytes: Uint8Array): CredentialKey {
  const map = readMap(bytes);
  const algorithm = map.get(LABEL.alg);
  switch (algorithm) {
    case COSE_ALGORITHM.ES256:
    case COSE_ALGORITHM.ES384:
    case COSE_ALGORITHM.ES512:
      return { algorithm, key: readEllipticKey(map, algorithm) };
    case COSE_ALGORITHM.EdDSA:
      return { algorithm, key: readEdwardsKey(map) };
    case COSE_ALGORITHM.RS256:
      return { algorithm, key: readRsaKey(map) };
    default:
      if (typeof algorithm !== "number") throw malformed("it has no algorithm");
      throw new PasskeyFault("passkey-algorithm-not-offered", `algorithm ${algorithm} was not offered`);
  }
}

/** The hash that an algorithm signs; `null`: it hashes by itself. */
export function hashOf(algorithm: CoseAlgorithm): string | null {
  if (algorithm === COSE_ALGORITHM.EdDSA) return null;
  return CURVES[algorithm]?.hash ?? "sha256";
}

/** Checks a signature. ECDSA's are DER (section 6.5.5). */
export function isSignedBy(
  { algorithm, key }: CredentialKey,
  { signed, signature }: { signed: Uint8Array; signature: Uint8Array },
): boolean {
  try {
    return verify(hashOf(algorithm), signed, key, signature);
  } catch {
    // What OpenSSL cannot even read is no signature.
    return false;
  }
}

function readMap(bytes: Uint8Array): CborMap {
  try {
    const map = asMap(decodeCbor(bytes));
    if (map !== null) return map;
  } catch (error) {
    if (!(error instanceof CborError)) throw error;
    throw malformed(error.message);
  }
  throw malformed("it is no map");
}

/** RFC 9053 section 7.1.1; the point is uncompressed and on its curve. */
function readEllipticKey(map: CborMap, algorithm: CoseAlgorithm): KeyObject {
  const curve = CURVES[algorithm];
  if (curve === undefined || map.get(LABEL.kty) !== KTY.EC2 || map.get(LABEL.crv) !== curve.crv)
    throw malformed("its type or curve does not fit its algorithm");
  assertPublic(map, D);
  const x = coordinate(map, LABEL.x, curve.bytes);
  const y = coordinate(map, LABEL.y, curve.bytes);
  return importJwk({ kty: "EC", crv: curve.name, x, y }, "its point is not on the curve");
}

/** RFC 9053 section 7.2: Ed25519 alone. A point of small order would make signatures that fit many messages. */
function readEdwardsKey(map: CborMap): KeyObject {
  if (map.get(LABEL.kty) !== KTY.OKP || map.get(LABEL.crv) !== ED25519.crv)
    throw malformed("its type or curve does not fit its algorithm");
  assertPublic(map, D);
  const x = coordinate(map, LABEL.x, ED25519.bytes);
  let isSmall: boolean;
  try {
    isSmall = ed25519.Point.fromBytes(Uint8Array.from(x)).isSmallOrder();
  } catch {
    throw malformed("its point cannot be decoded");
  }
  if (isSmall) throw malformed("its point is of small order");
  return importJwk({ kty: "OKP", crv: "Ed25519", x }, "its point cannot be used");
}

/** RFC 8230 section 4. */
function readRsaKey(map: CborMap): KeyObject {
  if (map.get(LABEL.kty) !== KTY.RSA) throw malformed("its type does not fit its algorithm");
  assertPublic(map, RSA.firstPrivate);
  const n = asBytes(map.get(RSA.n));
  const e = asBytes(map.get(RSA.e));
  if (n === null || e === null || n[0] === 0 || e[0] === 0)
    throw malformed("modulus or exponent is no number");
  const bits = n.length * 8 - Math.clz32(n[0] ?? 0) + 24;
  if (bits < RSA_BITS.least || bits > RSA_BITS.most)
    throw malformed(`its modulus has ${bits} bits; ${RSA_BITS.least} to ${RSA_BITS.most} are taken`);
  const isOdd = ((e.at(-1) ?? 0) & 1) === 1;
  const isOne = e.length === 1 && e[0] === 1;
  // Longer exponents serve nobody, and make a check slow.
  if (!isOdd || isOne || e.length > 8) throw malformed("its exponent is not an odd number of at least 3");
  return importJwk({ kty: "RSA", n: Buffer.from(n), e: Buffer.from(e) }, "it cannot be used");
}

/** Members of a private key begin at a label and go down from there. */
function assertPublic(map: CborMap, firstPrivate: number): void {
  for (const label of map.keys())
    if (typeof label === "number" && label <= firstPrivate)
      throw malformed("it has members of a private key");
}

function coordinate(map: CborMap, label: number, length: number): Buffer {
  const bytes = asBytes(map.get(label));
  if (bytes?.length !== length) throw malformed(`a coordinate is not ${length} bytes`);
  return Buffer.from(bytes);
}

function importJwk(
  { kty, crv, ...numbers }: { kty: string; crv?: string } & Readonly<Record<string, string | Buffer>>,
  fault: string,
): KeyObject {
  const members = Object.entries(numbers).map(([name, bytes]) => [
    name,
    (bytes as Buffer).toString("base64url"),
  ]);
  const key = { kty, ...(crv === undefined ? {} : { crv }), ...Object.fromEntries(members) };
  try {
    return createPublicKey({ key, format: "jwk" });
  } catch {
    throw malformed(fault);
  }
}

function malformed(what: string): PasskeyFault {
  return new PasskeyFault("passkey-key-malformed", `the public key: ${what}`);
}
