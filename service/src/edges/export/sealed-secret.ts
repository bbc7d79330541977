/** Secrets of authenticators, sealed to somebody's public key: JWE (RFC 7516) with ECDH-ES or RSA-OAEP-256, and A256GCM. */
import type { KeyObject } from "node:crypto";
import { createPrivateKey, createPublicKey } from "node:crypto";
import { readFileSync } from "node:fs";
import { calculateJwkThumbprint, compactDecrypt, CompactEncrypt, exportJWK } from "jose";
import { ExportRefusal } from "./refusal.ts";

/** A key with the algorithm that goes with its kind. */
interface ExportKey {
  readonly key: KeyObject;
  readonly alg: "ECDH-ES" | "RSA-OAEP-256";
}

const MIN_RSA_BITS = 2_048;
/** P-256, P-384 and P-521, as they are called here. */
const CURVES = new Set(["prime256v1", "secp384r1", "secp521r1"]);

/** Reads a key from PEM. @throws ExportRefusal. */
function readKey(path: string, kind: "public" | "private"): ExportKey {
  try {
    const pem = readFileSync(path, "utf8");
    const isPrivate = pem.includes("PRIVATE KEY");
    if (kind === "public" && isPrivate)
      throw new ExportRefusal(
        `${path} is a private key; a public key is needed: openssl pkey -in ${path} -pubout`,
      );
    const key = kind === "public" ? createPublicKey(pem) : createPrivateKey(pem);
    const { asymmetricKeyType: type, asymmetricKeyDetails: details } = key;
    if (type === "x25519" || CURVES.has(details?.namedCurve ?? "")) return { key, alg: "ECDH-ES" };
    if (type === "rsa" && (details?.modulusLength ?? 0) >= MIN_RSA_BITS) return { key, alg: "RSA-OAEP-256" };
  } catch (error) {
    if (error instanceof ExportRefusal) throw error;
    const { code } = error as NodeJS.ErrnoException;
    if (code === "ENOENT") throw new ExportRefusal(`There is no file ${path}.`, { cause: error });
    throw new ExportRefusal(`${path} is not a ${kind} key in PEM: ${(error as Error).message}`, {
      cause: error,
    });
  }
  throw new ExportRefusal(`${path}: expected X25519, P-256, P-384, P-521 or RSA with ${MIN_RSA_BITS} bits.`);
}

/** Seals to a public key. */
export async function sealTo(
  path: string,
): Promise<{ thumbprint: string; seal(secret: string): Promise<string> }> {
  const { key, alg } = readKey(path, "public");
  return {
    thumbprint: await calculateJwkThumbprint(await exportJWK(key)),
    seal: (secret) =>
      new CompactEncrypt(new TextEncoder().encode(secret))
        .setProtectedHeader({ alg, enc: "A256GCM" })
        .encrypt(key),
  };
}

/** Opens with the private key. @throws ExportRefusal where a secret was sealed to another one. */
export function openWith(path: string): (sealed: string) => Promise<string> {
  const { key, alg } = readKey(path, "private");
  return async (sealed) => {
    try {
      const options = { keyManagementAlgorithms: [alg], contentEncryptionAlgorithms: ["A256GCM"] };
      return new TextDecoder().decode((await compactDecrypt(sealed, key, options)).plaintext);
    } catch (error) {
      throw new ExportRefusal(`${path} does not decrypt the secrets of this export.`, { cause: error });
    }
  };
}
