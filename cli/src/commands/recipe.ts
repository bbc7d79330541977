/** A developer at work: tries how an old system made its digests. Local; no service is asked. */
import type { Recipe, RecipeInput } from "@lucchetto/core";
import { digestOfHexLength, matchesRecipe, readRecipe, RecipeError, runRecipe } from "@lucchetto/core";
import type { Command } from "commander";
import { askPassword } from "../ask.ts";
import { Failure } from "../failure.ts";
import { print, printJson, printPairs } from "../output.ts";
import { terminal } from "../terminal.ts";

interface TryOptions {
  readonly stored: string;
  readonly salt?: string;
  readonly saltHex?: string;
  readonly username?: string;
  readonly email?: string;
  readonly passwordStdin?: boolean;
  readonly json?: boolean;
}

/** Bytes as letters of hexadecimal. */
const HEX = /^(?:[0-9a-f]{2})+$/i;

export function defineRecipe(recipe: Command): void {
  recipe
    .command("try")
    .description("test a recipe with a known password and its digest; exit 1 if they do not match")
    .argument("<recipe>", "such as 'hex(sha1(concat(salt, password)))', in single quotes")
    .requiredOption("--stored <digest>", "what the old system stored for it")
    .option("--salt <text>", "its salt, as text")
    .option("--salt-hex <hex>", "its salt, as bytes in hexadecimal")
    .option("--username <name>", "if the recipe uses it")
    .option("--email <address>", "if the recipe uses it")
    .option("--password-stdin", "read the password from standard input")
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nExample:\n  lucchetto recipe try 'hex(sha1(concat(salt, hex(md5(password)))))' --salt x7Kp --stored 8b3ab82a7af93b8c51ae275acb7abeaa6bb99635",
    )
    .action(async (text: string, options: TryOptions) => {
      const read = readOrFail(text);
      const given = inputOf(options, read);
      if (options.stored === "") throw new Failure("--stored is empty; give what the old system stored.", 2);
      if (read.kind === "bytes" && !HEX.test(options.stored))
        throw new Failure("--stored: the recipe returns bytes; expected hexadecimal, such as 00ff7e.", 2);
      const password = await askPassword(options, "A known password");
      const input: RecipeInput = { ...given, password };
      const made = await runRecipe(read, input);
      if (made === null)
        throw new Failure(
          "The recipe cannot be computed with these values: one is too long, or has the wrong form for unhex, unbase64 or latin1.",
        );
      const isText = typeof made === "string";
      const shown = isText ? made : Buffer.from(made).toString("hex");
      const stored = isText ? options.stored : Buffer.from(options.stored, "hex");
      const fits = await matchesRecipe(read, input, stored);
      const fitsAny = fits && (await matchesRecipe(read, { ...input, password: `${password}.` }, stored));
      if (!fits || fitsAny) terminal().exitStatus = 1;
      if (options.json === true)
        return printJson({ recipe: read.text, uses: read.uses, made: shown, fits: fits && !fitsAny });
      printPairs([
        ["recipe", read.text],
        [isText ? "makes" : "result, as hex", shown],
        ["stored", options.stored],
      ]);
      print(
        "",
        fitsAny ? "It matches any password, so it proves nothing." : wordsFor(fits, shown, options.stored),
      );
    });
}

function readOrFail(text: string): Recipe {
  try {
    return readRecipe(text);
  } catch (error) {
    if (!(error instanceof RecipeError)) throw error;
    const pointer = text.includes("\n") ? [] : [text, `${" ".repeat(error.column - 1)}^`];
    throw new Failure([`the recipe, ${error.message}.`, ...pointer].join("\n"), 2);
  }
}

/** What the options bring along, each of which the recipe uses. */
function inputOf(
  { salt, saltHex, username, email }: TryOptions,
  { uses, text }: Recipe,
): Omit<RecipeInput, "password"> {
  if (salt !== undefined && saltHex !== undefined)
    throw new Failure("Give either --salt or --salt-hex, not both.", 2);
  if (saltHex !== undefined && !HEX.test(saltHex))
    throw new Failure("--salt-hex: expected bytes in hexadecimal, such as 00ff7e.", 2);
  const given = {
    ...(salt === undefined ? {} : { salt }),
    ...(saltHex === undefined ? {} : { salt: Buffer.from(saltHex, "hex") }),
    ...(username === undefined ? {} : { username }),
    ...(email === undefined ? {} : { email }),
  };
  for (const name of uses)
    if (!(name in given)) throw new Failure(`The recipe uses ${name}: give it with --${name}.`, 2);
  for (const name of Object.keys(given))
    if (!uses.some((one) => one === name))
      throw new Failure(`--${name}: the recipe does not use it (${text}).`, 2);
  return given;
}

function wordsFor(fits: boolean, made: string, stored: string): string {
  if (fits) return "The recipe matches.";
  const not = "The recipe does not match.";
  if (made.toLowerCase() === stored.toLowerCase())
    return `${not} They differ only in upper and lower case: wrap it in upper(…) or lower(…).`;
  if (stored.trim() === made) return `${not} The stored value has spaces around it.`;
  if (made.startsWith(stored) || stored.startsWith(made))
    return `${not} One is the beginning of the other: try slice(…, 0, ${Math.min(stored.length, made.length)}).`;
  const kind = HEX.test(stored) ? digestOfHexLength(stored.length) : null;
  if (kind !== null && stored.length !== made.length)
    return `${not} The stored value has ${stored.length} characters, like hex(${kind}(…)); the recipe returns ${made.length}.`;
  return `${not} Check the password, the order of password and salt, and whether hex(…) is missing somewhere.`;
}
