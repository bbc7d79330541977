/** Credential public keys, and the CBOR that carries them. */
import { createHash, createPublicKey, generateKeyPairSync } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import { encode } from "cborg";
import fc from "fast-check";
import { coseKeyOf } from "../../../demo/src/authenticator/software-authenticator.ts";
import { CborError, decodeCbor, decodeFirstCbor } from "./cbor.ts";
import { isSignedBy, readCredentialKey } from "./cose-key.ts";
import { PasskeyFault } from "./fault.ts";

type Key = Map<number, unknown>;

const es256 = coseKeyOf(generateKeyPairSync("ec", { namedCurve: "P-256" }).privateKey, -7);
const eddsa = coseKeyOf(generateKeyPairSync("ed25519").privateKey, -8);
const rsaOf = (modulusLength: number) =>
  coseKeyOf(generateKeyPairSync("rsa", { modulusLength }).privateKey, -257);
const rs256 = rsaOf(2_048);
const bytes = (key: Key, label: number) => key.get(label) as Uint8Array;

function outcome(key: Key | Uint8Array, change: ReadonlyArray<[number, unknown]> = []): string {
  const altered = key instanceof Map ? new Map([...key, ...change]) : key;
  for (const [label, value] of change)
    if (value === undefined && altered instanceof Map) altered.delete(label);
  try {
    readCredentialKey(altered instanceof Map ? encode(altered) : altered);
    return "accepted";
  } catch (error) {
    if (error instanceof PasskeyFault) return error.code;
    throw error;
  }
}
const MALFORMED = "passkey-key-malformed";

describe("credential public keys", () => {
  test("PK-28 ES256: a point on P-256, uncompressed", () => {
    expect(outcome(es256)).toBe("accepted");
    const y = Uint8Array.from(bytes(es256, -3), (byte, at) => (at === 31 ? byte ^ 1 : byte));
    expect(outcome(es256, [[-3, y]])).toBe(MALFORMED);
    expect(
      outcome(es256, [
        [-2, new Uint8Array(32)],
        [-3, new Uint8Array(32)],
      ]),
    ).toBe(MALFORMED);
    expect(outcome(es256, [[-2, bytes(es256, -2).subarray(1)]])).toBe(MALFORMED);
    expect(outcome(es256, [[-2, Uint8Array.of(0, ...bytes(es256, -2))]])).toBe(MALFORMED);
    expect(outcome(es256, [[-3, true]])).toBe(MALFORMED);
    for (const crv of [2, 8, "P-256"]) expect(outcome(es256, [[-1, crv]])).toBe(MALFORMED);
  });

  test("PK-29 EdDSA: an Ed25519 point that is not of small order", () => {
    expect(outcome(eddsa)).toBe("accepted");
    expect(outcome(eddsa, [[-2, bytes(eddsa, -2).subarray(1)]])).toBe(MALFORMED);
    const undecodable = Uint8Array.from(Buffer.from("02".padEnd(64, "0"), "hex"));
    expect(outcome(eddsa, [[-2, undecodable]])).toBe(MALFORMED);
    const identity = Uint8Array.from(Buffer.from("01".padEnd(64, "0"), "hex"));
    expect(outcome(eddsa, [[-2, identity]])).toBe(MALFORMED);
    // Of order 8 (RFC 8032 section 5.1; all zero bytes are of order 4).
    const orderEight = Buffer.from("26e8958fc2b227b045c3f489f2ef98f0d5dfac05d3c63339b13802886d53fc05", "hex");
    for (const small of [orderEight, Buffer.alloc(32)])
      expect(outcome(eddsa, [[-2, Uint8Array.from(small)]])).toBe(MALFORMED);
    for (const crv of [4, 7]) expect(outcome(eddsa, [[-1, crv]])).toBe(MALFORMED);
    // RFC 8032 section 7.1, test 1: the empty message.
    const x = Buffer.from("d75a980182b10ab7d54bfed3c964073a0ee172f3daa62325af021a68f707511a", "hex");
    const signature = Buffer.from(
      "e5564300c360ac729086e2cc806e828a84877f1eb8e5d974d873e065224901555fb8821590a33bacc61e39701cf9b46bd25bf5f0595bbe24655141438e7a100b",
      "hex",
    );
    const key = readCredentialKey(encode(new Map([...eddsa, [-2, Uint8Array.from(x)]])));
    expect(isSignedBy(key, { signed: new Uint8Array(), signature })).toBe(true);
    expect(isSignedBy(key, { signed: Uint8Array.of(0), signature })).toBe(false);
  });

  test("PK-30 RS256: 2,048 to 8,192 bits, an odd exponent of at least 3", () => {
    expect(outcome(rs256)).toBe("accepted");
    expect(outcome(rsaOf(1_024))).toBe(MALFORMED);
    const n = bytes(rs256, -1);
    const bits2047 = Uint8Array.from(n, (byte, at) => (at === 0 ? 0x7f : byte));
    expect(outcome(rs256, [[-1, bits2047]])).toBe(MALFORMED);
    expect(outcome(rs256, [[-1, Uint8Array.from({ length: 2_048 }, (_, at) => (at === 0 ? 0x80 : 1))]])).toBe(
      MALFORMED,
    );
    expect(outcome(rs256, [[-1, Uint8Array.of(0, ...n)]])).toBe(MALFORMED);
    for (const e of [[1], [2], [1, 0, 0], [0, 1, 0, 1], []])
      expect(outcome(rs256, [[-2, Uint8Array.from(e)]])).toBe(MALFORMED);
    expect(outcome(rs256, [[-2, Uint8Array.of(3)]])).toBe("accepted");
  });

  test("PK-31 type, algorithm and curve fit together; private members are refused", () => {
    expect(outcome(es256, [[3, -8]])).toBe(MALFORMED);
    expect(outcome(eddsa, [[3, -7]])).toBe(MALFORMED);
    expect(outcome(es256, [[1, 1]])).toBe(MALFORMED);
    expect(outcome(rs256, [[1, 2]])).toBe(MALFORMED);
    expect(outcome(es256, [[3, undefined]])).toBe(MALFORMED);
    expect(outcome(es256, [[3, "ES256"]])).toBe(MALFORMED);
    for (const key of [es256, eddsa]) expect(outcome(key, [[-4, new Uint8Array(32)]])).toBe(MALFORMED);
    expect(outcome(rs256, [[-3, new Uint8Array(256)]])).toBe(MALFORMED);
    expect(outcome(es256, [[3, -65535]])).toBe("passkey-algorithm-not-offered");
  });
});

describe("CBOR", () => {
  const refused = (hex: string | Uint8Array) => {
    const read = () => decodeCbor(typeof hex === "string" ? Buffer.from(hex, "hex") : hex);
    expect(read).toThrow(CborError);
  };

  test("PK-32 bytes after the item are refused", () => {
    expect(decodeCbor(Buffer.from("a0", "hex"))).toEqual(new Map());
    refused("a000");
    expect(decodeFirstCbor(Buffer.from("a000", "hex"))).toEqual({ value: new Map(), length: 1 });
  });

  test.each([
    ["a doubled text key", "a263666d746163666d7461"],
    ["a doubled integer key", "a203260326"],
    ["the same integer in a longer encoding", "a1190003f6"],
    ["the same length in a longer encoding", "a1780161f6"],
    ["an indefinite map", "bf0326ff"],
    ["an indefinite array", "9f03ff"],
    ["an indefinite byte string", "5f4101ff"],
    ["an indefinite text", "7f6161ff"],
    ["a tag on the map", "c1a0"],
    ["a float as a label", "a1f9420026"],
    ["bytes as a label", "a1410326"],
    ["a map as a label", "a1a026"],
    ["undefined", "f7"],
    ["a lone break", "ff"],
    ["nothing", ""],
  ])("PK-33 %s is refused", (_what, hex) => refused(hex));

  test("PK-34 nesting, items and lengths are bounded before memory is taken", () => {
    const before = process.memoryUsage().heapUsed;
    refused(Buffer.concat([Buffer.alloc(10_000, 0x81), Buffer.of(0)]));
    refused("7affffffff61");
    refused("5bffffffffffffffff00");
    refused("baffffffff");
    refused("9bffffffffffffffff");
    refused(Buffer.alloc(1_000_000, 0x80));
    refused(Buffer.concat([Buffer.from("9a000f4240", "hex"), Buffer.alloc(1_000_000)]));
    expect(process.memoryUsage().heapUsed - before).toBeLessThan(32_000_000);
  });

  test("whatever comes is read or refused by name", () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 200 }), (input) => {
        try {
          decodeFirstCbor(input);
        } catch (error) {
          return error instanceof CborError;
        }
        return true;
      }),
      { numRuns: 5_000 },
    );
  });

  test("what an authenticator writes is read as it was written", () => {
    const key = fc.oneof(fc.integer({ min: -300, max: 300 }), fc.string({ maxLength: 10 }));
    const value = fc.oneof(
      fc.uint8Array({ maxLength: 40 }),
      fc.integer(),
      fc.boolean(),
      fc.string({ maxLength: 20 }),
    );
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.tuple(key, value), { selector: ([name]) => name, maxLength: 8 }),
        (members) => {
          const map = new Map<number | string, unknown>(members);
          const read = decodeCbor(encode(map)) as Map<number | string, unknown>;
          expect(read.size).toBe(map.size);
          for (const [name, member] of map) expect(read.get(name)).toEqual(member);
        },
      ),
    );
  });
});

test("a stored key is the one that was read", () => {
  const { key } = readCredentialKey(encode(es256));
  const again = createPublicKey({
    key: key.export({ format: "der", type: "spki" }),
    format: "der",
    type: "spki",
  });
  const digest = (one: typeof key) =>
    createHash("sha256")
      .update(one.export({ format: "der", type: "spki" }))
      .digest("hex");
  expect(digest(again)).toBe(digest(key));
});
