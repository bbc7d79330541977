/**
 * PHC strings: `$id$v=19$name=value,name=value$salt$hash`.
 *
 * Read strictly: a string that this reader accepts is written back byte for byte by `encode`, so two different texts
 * can never stand for one record. Source: the PHC string format description.
 */

/** The parts of a PHC string. `salt` and `hash` are raw bytes; parameter order is kept as it stood. */
export interface PhcString {
  /** Name of the algorithm: 1 to 32 characters of `a-z`, `0-9`, `-`. */
  readonly id: string;
  /** The algorithm's version (`v=19`), where it has one. */
  readonly version?: number;
  readonly parameters: ReadonlyArray<readonly [name: string, value: string]>;
  readonly salt?: Uint8Array;
  readonly hash?: Uint8Array;
}

/** Says in which part a text is no PHC string. The text itself is not repeated: it may hold a hash. */
export class PhcReadError extends Error {
  override readonly name = "PhcReadError";
}

/** The longest text that is looked at; far above any record of ours, far below what costs anything to read. */
const MAX_TEXT_LENGTH = 1024;

const ID = /^[a-z0-9-]{1,32}$/;
const PARAMETER_NAME = /^[a-z0-9-]{1,32}$/;
const PARAMETER_VALUE = /^[a-zA-Z0-9/+.-]{1,86}$/;
const VERSION = /^v=(0|[1-9][0-9]{0,9})$/;
const BASE64_WITHOUT_PADDING = /^[A-Za-z0-9+/]+$/;

/** PHC strings as a coder: `decode(encode(x))` equals `x`, and `encode(decode(text))` equals `text`. */
export const phc = {
  /** @returns the text. @throws PhcReadError if a part cannot be written as a PHC string. */
  encode(value: PhcString): string {
    const segments = ["", value.id];
    if (value.version !== undefined) segments.push(`v=${value.version}`);
    if (value.parameters.length > 0) {
      segments.push(value.parameters.map(([name, text]) => `${name}=${text}`).join(","));
    }
    if (value.salt !== undefined) segments.push(encodeBase64(value.salt));
    if (value.hash !== undefined) segments.push(encodeBase64(value.hash));
    const text = segments.join("$");
    decodePhc(text);
    return text;
  },

  /** @throws PhcReadError naming the part that is wrong, never echoing it. */
  decode: decodePhc,
};

function decodePhc(text: string): PhcString {
  if (text.length > MAX_TEXT_LENGTH) throw new PhcReadError(`longer than ${MAX_TEXT_LENGTH} characters`);
  const [beforeFirstDollar, id, ...rest] = text.split("$");
  if (beforeFirstDollar !== "") throw new PhcReadError("does not begin with $");
  if (id === undefined || !ID.test(id))
    throw new PhcReadError("the algorithm's name is missing or malformed");

  const version = readVersion(rest);
  const parameters = readParameters(rest);
  const [salt, hash, ...surplus] = rest;
  if (surplus.length > 0)
    throw new PhcReadError("there are more parts than name, version, parameters, salt and hash");

  return {
    id,
    ...(version === undefined ? {} : { version }),
    parameters,
    ...(salt === undefined ? {} : { salt: decodeBase64(salt, "salt") }),
    ...(hash === undefined ? {} : { hash: decodeBase64(hash, "hash") }),
  };
}

/** Takes the version segment off the front of `segments`, if there is one. */
function readVersion(segments: string[]): number | undefined {
  const first = segments[0];
  if (first === undefined || !first.startsWith("v=") || first.includes(",")) return undefined;
  const match = VERSION.exec(first);
  if (match === null) throw new PhcReadError("the version is not a decimal number without leading zeros");
  segments.shift();
  return Number(match[1]);
}

/** Takes the parameter segment off the front of `segments`, if there is one. */
function readParameters(segments: string[]): Array<[string, string]> {
  const first = segments[0];
  if (first === undefined || !first.includes("=")) return [];
  segments.shift();
  const seen = new Set<string>();
  return first.split(",").map((pair) => {
    const equals = pair.indexOf("=");
    const name = pair.slice(0, equals);
    const value = pair.slice(equals + 1);
    if (equals < 1 || !PARAMETER_NAME.test(name)) throw new PhcReadError("a parameter's name is malformed");
    if (name === "v") throw new PhcReadError("the version does not stand in its own part");
    if (!PARAMETER_VALUE.test(value)) throw new PhcReadError(`the value of parameter ${name} is malformed`);
    if (seen.has(name)) throw new PhcReadError(`parameter ${name} stands twice`);
    seen.add(name);
    return [name, value];
  });
}

function encodeBase64(bytes: Uint8Array): string {
  return Buffer.from(bytes).toString("base64").replaceAll("=", "");
}

const BASE64_ALPHABET = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

/** Standard base64 without padding; surplus bits in the last character are refused, since they would not round-trip. */
function decodeBase64(text: string, part: "salt" | "hash"): Uint8Array {
  if (!BASE64_WITHOUT_PADDING.test(text)) throw new PhcReadError(`the ${part} is not base64 without padding`);
  const surplus = (text.length * 6) % 8;
  const last = BASE64_ALPHABET.indexOf(text.at(-1) ?? "");
  // A last letter of which nothing would be used holds six.
  if (surplus === 6 || last % 2 ** surplus !== 0)
    throw new PhcReadError(`the ${part} is not base64 in its one canonical form`);
  return new Uint8Array(Buffer.from(text, "base64"));
}
