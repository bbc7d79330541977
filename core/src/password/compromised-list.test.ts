import { createHash, randomBytes } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import {
  HEADER_LENGTH,
  holdsEntry,
  layoutFor,
  ListReadError,
  placesOf,
  readBucket,
  readHeader,
  readListLine,
  writeHeader,
  writeIndexEntry,
} from "./index.ts";

describe("the compiled list of compromised passwords", () => {
  test("property: a header is read back, and only for a file of its length", () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 2 ** 33 }), (entries) => {
        const layout = layoutFor(entries);
        const { fileLength } = placesOf(layout);
        expect(readHeader(writeHeader(layout), fileLength)).toEqual(layout);
        expect(() => readHeader(writeHeader(layout), fileLength - 1)).toThrow(/cut or damaged/);
      }),
    );
  });

  test("property: the index gives back what was put in", () => {
    fc.assert(
      fc.property(fc.nat(2 ** 39), fc.nat(2 ** 39), (from, to) => {
        const index = new Uint8Array(15);
        writeIndexEntry(index, 1, from);
        writeIndexEntry(index, 2, to);
        expect(readBucket(index, 1)).toEqual([from, to]);
      }),
    );
  });

  test("property: a sorted stretch holds exactly what is in it", () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.nat(2 ** 40 - 1), { maxLength: 60 }),
        fc.nat(2 ** 40 - 1),
        (numbers, other) => {
          const sorted = [...numbers].sort((left, right) => left - right);
          const stretch = Buffer.alloc(sorted.length * 5);
          sorted.forEach((number, index) => stretch.writeUIntBE(number, index * 5, 5));
          const asBytes = (number: number) => {
            const bytes = Buffer.alloc(5);
            bytes.writeUIntBE(number, 0, 5);
            return bytes;
          };
          for (const number of numbers) expect(holdsEntry(stretch, asBytes(number))).toBe(true);
          expect(holdsEntry(stretch, asBytes(other))).toBe(numbers.includes(other));
        },
      ),
    );
  });

  test("a line is 40 hexadecimal digits, with or without a count", () => {
    const digest = createHash("sha1").update("a password").digest("hex");
    const key = BigInt(`0x${digest.slice(0, 14)}`);
    for (const line of [digest, digest.toUpperCase(), `${digest}:37`]) expect(readListLine(line)).toBe(key);
    for (const line of [
      "",
      digest.slice(1),
      `${digest}0`,
      `${digest}:`,
      `${digest}:-1`,
      `${digest} `,
      "a password",
    ])
      expect(readListLine(line)).toBeNull();
  });

  test("PW-13 what is no compiled list is refused, and the text of one is recognised", () => {
    expect(() => readHeader(randomBytes(HEADER_LENGTH), 32)).toThrow(ListReadError);
    const text = Buffer.from(`${createHash("sha1").update("x").digest("hex")}:5\n`);
    expect(() => readHeader(text.subarray(0, HEADER_LENGTH), text.length)).toThrow(/password-list build/);
  });
});
