/** PBKDF2 (RFC 8018 section 5.2) with HMAC-SHA-256 or HMAC-SHA-512, over node's own. Parameter: `i`, the iterations. */
import { pbkdf2 as nodePbkdf2 } from "node:crypto";
import type { Algorithm } from "./algorithm.ts";

function pbkdf2With(digest: "sha256" | "sha512", usualIterations: number): Algorithm {
  return {
    id: `pbkdf2-${digest}`,
    title: `PBKDF2 with HMAC-${digest.toUpperCase().replace("SHA", "SHA-")} (RFC 8018); costs time, but no memory`,
    parameters: new Map([["i", "iterations"]]),
    makes: true,
    usual: { i: usualIterations },
    floors: [{ i: usualIterations }],
    // The state of one HMAC; nothing that grows.
    memoryBytes: () => 1024,
    work: ({ i = 0 }) => i,
    describe: ({ i = 0 }) => new Map([["i", `the keyed hash is done ${i.toLocaleString("en")} times`]]),
    digest: (password, salt, { i = 0 }, length) =>
      new Promise((resolve, reject) => {
        nodePbkdf2(password, salt, i, length, digest, (error, hash) => {
          if (error) reject(error);
          else resolve(new Uint8Array(hash));
        });
      }),
  };
}

export const pbkdf2Sha256 = pbkdf2With("sha256", 600_000);
export const pbkdf2Sha512 = pbkdf2With("sha512", 210_000);
