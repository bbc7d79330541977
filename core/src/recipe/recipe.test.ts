import { createHash, createHmac, pbkdf2Sync, scryptSync } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { RecipeError } from "./expression.ts";
import { matchesRecipe, readRecipe, runRecipe } from "./recipe.ts";

const md5 = (text: string | Buffer) => createHash("md5").update(text).digest("hex");
const sha1 = (text: string | Buffer) => createHash("sha1").update(text).digest("hex");
const INPUT = {
  password: "brass key, stone door",
  salt: "x7Kp",
  username: "Anna",
  email: "anna@brina.example",
};
const faultOf = (source: string): string => {
  try {
    readRecipe(source);
  } catch (error) {
    if (error instanceof RecipeError) return error.message;
    throw error;
  }
  return "";
};

describe("what recipes make", () => {
  const { password, salt, username, email } = INPUT;
  test.each<[string, string | Buffer]>([
    ["hex(md5(password))", md5(password)],
    ["upper(hex(sha1(password)))", sha1(password).toUpperCase()],
    ["hex(sha1(concat(salt, hex(md5(password)))))", sha1(salt + md5(password))],
    [
      'hex(md5(concat(lower(username), ":brina:", password)))',
      md5(`${username.toLowerCase()}:brina:${password}`),
    ],
    [
      "hex(sha256(concat(unhex(hex(salt)), password, upper(email))))",
      createHash("sha256")
        .update(salt + password + email.toUpperCase())
        .digest("hex"),
    ],
    ["base64(sha512(utf16le(password)))", createHash("sha512").update(password, "utf16le").digest("base64")],
    ['hex(hmac("sha384", salt, password))', createHmac("sha384", salt).update(password).digest("hex")],
    [
      'base64(pbkdf2("sha1", password, salt, 1000, 24))',
      pbkdf2Sync(password, salt, 1_000, 24, "sha1").toString("base64"),
    ],
    [
      "hex(scrypt(password, salt, 10, 8, 1, 32))",
      scryptSync(password, salt, 32, { N: 1_024, r: 8, p: 1 }).toString("hex"),
    ],
    ["slice(hex(md5(password)), 8, 24)", md5(password).slice(8, 24)],
    ['hex(md5(concat(slice("è🔑ü", 1, 2), slice("è🔑", 1, 9), password)))', md5(`🔑🔑${password}`)],
    ["hex(md5(repeat(md5(password), 3)))", md5(Buffer.from(md5(password).repeat(3), "hex"))],
    [
      'concat("{SHA}", base64(sha1(password)))',
      `{SHA}${createHash("sha1").update(password).digest("base64")}`,
    ],
    ["hex(sha1(repeat(concat(password, salt), 3)))", sha1((password + salt).repeat(3))],
    [
      "md5(concat(unbase64(base64(latin1(salt))), utf8(password)))",
      createHash("md5")
        .update(salt + password)
        .digest(),
    ],
  ])("%s", async (source, wanted) => {
    const recipe = readRecipe(source);
    const made = await runRecipe(recipe, INPUT);
    expect(typeof made === "string" ? made : Buffer.from(made ?? "").toString("hex")).toBe(
      typeof wanted === "string" ? wanted : wanted.toString("hex"),
    );
    expect(recipe.kind).toBe(typeof wanted === "string" ? "text" : "bytes");
    expect(await matchesRecipe(recipe, INPUT, wanted)).toBe(true);
    expect(await matchesRecipe(recipe, { ...INPUT, password: "brass key" }, wanted)).toBe(false);
    expect(readRecipe(recipe.text).text).toBe(recipe.text);
  });

  test("what it uses is known, and nothing matches without it", async () => {
    const recipe = readRecipe("hex(sha1(concat(salt, email, password)))");
    expect(recipe.uses).toEqual(["salt", "email"]);
    expect(await runRecipe(recipe, { password, salt })).toBeNull();
    expect(await matchesRecipe(recipe, { password, email }, "")).toBe(false);
  });

  test("what an old system could not have taken matches nothing, and is no error", async () => {
    expect(await runRecipe(readRecipe("hex(md5(latin1(password)))"), { password: "Щука" })).toBeNull();
    expect(await runRecipe(readRecipe("hex(md5(concat(unhex(salt), password)))"), INPUT)).toBeNull();
    const bcrypt = readRecipe("hex(bcrypt(password, unhex(salt), 4))");
    expect(await runRecipe(bcrypt, { password: "a".repeat(73), salt: "00".repeat(16) })).toBeNull();
    expect(await runRecipe(bcrypt, { password: "a".repeat(72), salt: "00".repeat(16) })).toHaveLength(46);
    expect(
      await runRecipe(readRecipe("hex(md5(concat(salt, password)))"), { password, salt: "x".repeat(5_000) }),
    ).toBeNull();
  });
});

describe("what is no recipe", () => {
  test.each([
    ["", "column 1: the recipe ends; here a value or a call is wanted"],
    ["hex(md5(password)", 'column 18: the recipe ends; here "," or ")" is wanted'],
    ["hex(md5(password)))", 'column 19: ")" stands after the end of the recipe'],
    ["hex(md5(pasword))", 'column 9: there is no value "pasword"; there are password, salt, username, email'],
    ["hex(sha3(password))", 'column 5: there is no function "sha3"; there are md5, '],
    ["hex(md5(password, salt))", "column 5: md5 takes one argument, here are 2"],
    ["hex(md5())", 'column 9: ")" stands; here a value or a call is wanted'],
    ['hex(md5(concat("a, password)))', "column 16: a text begins here and does not end"],
    ["hex(md5(password)) # a note", 'column 20: "#" is no part of a recipe'],
    [
      "lower(md5(password))",
      "column 7: these are bytes, and text is wanted: hex(…) or base64(…) makes text of them",
    ],
    ['hex(hmac("crc32", salt, password))', "column 10: the name of a digest is wanted here"],
    ["hex(scrypt(password, salt, ln, 8, 1, 32))", 'column 28: there is no value "ln"'],
    ["slice(hex(md5(password)), salt, 4)", "column 27: a number is wanted here"],
    ["hex(md5(concat(password, 7)))", "column 26: a number stands where a value is wanted"],
    ["slice(hex(md5(password)), 9, 9)", "column 1: slice: it goes from a place to a later one"],
  ])("%s: %s", (source, fault) => expect(faultOf(source)).toContain(fault));

  test("PW-23 one that would cost too much is refused before anything runs", () => {
    for (const source of [
      "hex(scrypt(password, salt, 40, 8, 1, 32))",
      'hex(pbkdf2("sha1", password, salt, 999999999, 20))',
      'hex(pbkdf2("sha512", password, salt, 600000, 1024))',
      "hex(bcrypt(password, salt, 31))",
      "hex(md5(repeat(repeat(password, 99999), 99999)))",
      `hex(md5(concat(${Array(40).fill("md5(repeat(salt, 100))").join(", ")}, password)))`,
      `${"hex(scrypt(concat(".repeat(3)}password, salt${"), salt, 14, 8, 1, 32))".repeat(3)}`,
    ])
      expect(faultOf(source)).not.toBe("");
    // No value passes 1 MiB and the digests read little, and yet each call handles a million bytes anew.
    const large = "repeat(hex(md5(password)), 30000)";
    for (const call of [
      `upper(${large})`,
      `utf8(lower(${large}))`,
      `unhex(${large})`,
      `unbase64(${large})`,
    ]) {
      const calls = Array.from({ length: 9 }, () => `slice(${call}, 0, 1)`).join(", ");
      expect(faultOf(`hex(md5(concat(password, ${calls})))`)).toContain("handle more than 6 MiB together");
    }
    expect(faultOf(`${"hex(md5(".repeat(40)}password${"))".repeat(40)}`)).toContain(
      "calls inside each other",
    );
    expect(faultOf(`hex(md5(concat(password, "${"a".repeat(3_000)}")))`)).toContain("2000 characters");
  });

  test("one under which the old digest itself would sign in, or any password, is refused", () => {
    for (const source of [
      "password",
      '"5f4dcc3b5aa765d61d8327deb882cf99"',
      "salt",
      "hex(md5(salt))",
      "lower(password)",
      "hex(password)",
      "concat(password, hex(md5(salt)))",
      "concat(hex(md5(password)), password)",
      "slice(hex(md5(password)), 0, 4)",
      "slice(hex(md5(password)), 40, 80)",
      "unhex(slice(hex(md5(password)), 0, 8))",
    ])
      expect(faultOf(source)).not.toBe("");
  });
});

describe("any recipe", () => {
  const text = fc
    .string({ unit: "grapheme", maxLength: 8 })
    .map((one) => `"${one.replace(/["\\]/gu, String.raw`\$&`)}"`);
  const leaf = fc.oneof(fc.constantFrom("password", "salt", "username", "email"), text);
  const { source } = fc.letrec<{ source: string }>((tie) => ({
    source: fc.oneof(
      { depthSize: "small", withCrossShrink: true },
      leaf,
      fc
        .tuple(
          fc.constantFrom(
            "md5",
            "sha1",
            "sha256",
            "hex",
            "unhex",
            "base64",
            "unbase64",
            "utf8",
            "utf16le",
            "latin1",
            "lower",
            "upper",
          ),
          tie("source"),
        )
        .map(([name, of]) => `${name}(${of})`),
      fc.array(tie("source"), { minLength: 1, maxLength: 3 }).map((parts) => `concat(${parts.join(" , ")})`),
      fc.tuple(tie("source"), fc.nat(40), fc.nat(40)).map(([of, from, to]) => `slice(${of}, ${from}, ${to})`),
      fc.tuple(tie("source"), fc.nat(9)).map(([of, count]) => `repeat(${of},${count})`),
      fc
        .tuple(fc.constantFrom("md5", "sha384"), tie("source"), tie("source"))
        .map(([name, key, of]) => `hmac("${name}", ${key}, ${of})`),
    ),
  }));
  const input = fc.record({
    password: fc.string({ unit: "grapheme", minLength: 1, maxLength: 20 }),
    salt: fc.oneof(fc.string(), fc.uint8Array({ maxLength: 20 })),
    username: fc.string({ unit: "grapheme", maxLength: 20 }),
    email: fc.string({ maxLength: 20 }),
  });

  test("is either refused with its column or runs, to the same as its usual form, never short and never showing the password", async () => {
    await fc.assert(
      fc.asyncProperty(source, input, async (one, values) => {
        let recipe;
        try {
          recipe = readRecipe(one);
        } catch (error) {
          expect(error).toBeInstanceOf(RecipeError);
          expect((error as RecipeError).column).toBeLessThanOrEqual(one.length + 1);
          return;
        }
        const made = await runRecipe(recipe, values);
        expect(await runRecipe(readRecipe(recipe.text), values)).toEqual(made);
        if (made === null) return;
        expect(made.length).toBeGreaterThanOrEqual(8);
        const shown = typeof made === "string" ? made : Buffer.from(made).toString("utf8");
        if (values.password.length >= 8) expect(shown).not.toContain(values.password);
      }),
      { numRuns: 3_000 },
    );
  });

  test("and no text crashes the reader", () => {
    fc.assert(
      fc.property(fc.oneof(fc.string(), fc.stringMatching(/^[a-z0-9()," \\]{0,60}$/)), (one) => {
        try {
          readRecipe(one);
        } catch (error) {
          expect(error).toBeInstanceOf(RecipeError);
        }
      }),
      { numRuns: 3_000 },
    );
  });
});
