import { createHash, randomBytes } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import {
  ALGORITHMS,
  checkRecord,
  checkWrapped,
  isWeakAtRest,
  makeRecord,
  readRecord,
  readScheme,
  withPepper,
  withRecipe,
  wrapDigest,
} from "../password/index.ts";
import { bytesOf } from "./functions.ts";
import { recipeOfScheme } from "./of-record.ts";
import { readRecipe, runRecipe } from "./recipe.ts";
import { fromTaggedDigest, untaggedCrypt } from "./tagged.ts";

const PASSWORD = "brass key, stone door";
const CHEAP = [
  ...["$scrypt$ln=4,r=8,p=1", "$argon2id$v=19$m=64,t=1,p=1", "$pbkdf2-sha256$i=10", "$pbkdf2-sha512$i=10"],
  ...["$bcrypt-2a$cost=4", "$bcrypt-2b$cost=4", "$bcrypt-2y$cost=4"],
  ...["$md5-crypt$rounds=1000", "$sha256-crypt$rounds=1000", "$sha512-crypt$rounds=1000"],
];

describe("a record that says itself what it is, as a recipe", () => {
  test.each(CHEAP)("%s: the recipe makes the record's hash", async (text) => {
    const scheme = readScheme(text);
    const { algorithm, parameters } = scheme;
    const salt = randomBytes(algorithm.id === "md5-crypt" ? 8 : 16);
    const length = algorithm.fixedLength ?? 24;
    const hash = await algorithm.digest(bytesOf(PASSWORD), salt, parameters, length);
    const recipe = readRecipe(recipeOfScheme(scheme, length) ?? "");
    expect(await runRecipe(recipe, { password: PASSWORD, salt })).toEqual(Buffer.from(hash ?? []));
    expect(recipe).toMatchObject({ exactly: length, uses: ["salt"] });
    expect(isWeakAtRest(scheme)).toBe(true);
  });

  test("every algorithm has one; peppered ones and wrapped ones have none", () => {
    for (const { id, usual, version } of ALGORITHMS.values()) {
      const parameters = Object.entries(usual).map(([name, value]) => `${name}=${value}`);
      const rounds = id === "md5-crypt" ? ["rounds=1000"] : parameters;
      const scheme = readScheme(`$${id}${version === undefined ? "" : `$v=${version}`}$${rounds.join(",")}`);
      expect(recipeOfScheme(scheme, 32)).not.toBeNull();
      expect(recipeOfScheme(withPepper(scheme, "k1"), 32)).toBeNull();
      expect(recipeOfScheme(withRecipe(scheme, "r1"), 32)).toBeNull();
      expect(isWeakAtRest(scheme)).toBe(id === "md5-crypt");
    }
  });
});

describe("a wrapped record", () => {
  const peppers = new Map([["k1", randomBytes(32)]]);
  const scheme = withRecipe(withPepper(readScheme("$scrypt$ln=4,r=8,p=1"), "k1"), "r5a15c0abe9");
  const digest = new Uint8Array(createHash("sha1").update(PASSWORD).digest());

  test("names recipe and pepper, matches its digest alone, and never a password", async () => {
    const text = await wrapDigest(digest, scheme, randomBytes(16), peppers);
    expect(text).toMatch(/^\$scrypt\$ln=4,r=8,p=1,pepper=k1,recipe=r5a15c0abe9\$/);
    const record = readRecord(text);
    expect(record.scheme).toMatchObject({ pepper: "k1", recipe: "r5a15c0abe9", text: scheme.text });
    expect(await checkWrapped(digest, record, peppers)).toBe(true);
    expect(await checkWrapped(digest.slice(1), record, peppers)).toBe(false);
    expect(await checkWrapped(null, record, peppers)).toBe(false);
    // Digests that are text are wrapped as their letters: typed as a password they still open nothing.
    const hex = "5baa61e4c9b93f3f0682250b6cf8331b7ee68fd8";
    const ofText = readRecord(await wrapDigest(bytesOf(hex), scheme, randomBytes(16), peppers));
    expect(await checkWrapped(bytesOf(hex), ofText, peppers)).toBe(true);
    expect(await checkRecord(hex, ofText, peppers)).toBe(false);
    await expect(makeRecord(PASSWORD, scheme, randomBytes(16), peppers)).rejects.toThrow(RangeError);
    const ordinary = readRecord(await makeRecord(hex, readScheme("$scrypt$ln=4,r=8,p=1"), randomBytes(16)));
    expect(await checkWrapped(bytesOf(hex), ordinary)).toBe(false);
  });
});

describe("digests with their scheme in braces (RFC 2307)", () => {
  test("are read as a recipe, a salt and a digest", async () => {
    const names = fc.constantFrom(
      ["MD5", "md5"],
      ["SHA", "sha1"],
      ["SHA256", "sha256"],
      ["SHA384", "sha384"],
      ["SHA512", "sha512"],
    );
    await fc.assert(
      fc.asyncProperty(names, fc.uint8Array({ maxLength: 20 }), async ([name = "", digest = ""], salt) => {
        const hash = createHash(digest).update(PASSWORD).update(salt).digest();
        const tag = salt.length > 0 ? `S${name}` : name;
        const read = fromTaggedDigest(`{${tag}}${Buffer.concat([hash, salt]).toString("base64")}`);
        if (read === null) throw new Error("it is not read");
        expect(read.digest).toEqual(new Uint8Array(hash));
        const made = await runRecipe(readRecipe(read.recipe), {
          password: PASSWORD,
          ...(read.salt === null ? {} : { salt: read.salt }),
        });
        expect(Buffer.from(bytesOf(made ?? ""))).toEqual(hash);
      }),
    );
  });

  test("of a wrong length, without the salt that they promise, or of no known scheme are none", () => {
    for (const text of [
      "{SSHA}AAAA",
      "{SHA}AAAA",
      "{ROT13}abcd",
      "SSHA",
      "{SSHA}!",
      `{SSHA}${Buffer.alloc(20).toString("base64")}`,
    ])
      expect(fromTaggedDigest(text)).toBeNull();
    expect(untaggedCrypt("{CRYPT}$6$a$b")).toBe("$6$a$b");
    expect(untaggedCrypt("$6$a$b")).toBeNull();
  });
});
