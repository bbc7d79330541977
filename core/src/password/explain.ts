/** Takes a record apart along its own string, segment by segment, for people who look at what is stored. */
import { readSealedDigest } from "../secrets/sealed-digest.ts";
import type { SchemeLimits } from "./algorithms/index.ts";
import { phc } from "./phc.ts";
import { HASH_LENGTH, isOutdated, readRecord, SALT_LENGTH } from "./record.ts";
import type { Scheme } from "./scheme.ts";
import { schemeTextOf } from "./scheme.ts";

/** One piece of the record's text, in order; all pieces together are the record, its digest shortened. */
export interface RecordSegment {
  readonly text: string;
  /** What the piece is; `null` for separators. */
  readonly label: string | null;
  readonly meaning: string | null;
}

/** A record explained. */
export interface RecordExplanation {
  readonly scheme: string;
  readonly algorithm: string;
  readonly segments: readonly RecordSegment[];
  /** Bytes of memory one check takes. */
  readonly memoryBytes: number;
  readonly saltBytes: number;
  readonly hashBytes: number;
  /** Whether it is made exactly as configured now. */
  readonly current: boolean;
}

const SHOWN_DIGEST_CHARACTERS = 8;

/** What a guess could be tested against. */
const GUESSABLE: ReadonlySet<string | null> = new Set(["salt", "digest", "nonce", "sealed digest"]);
const BLOCK = "█";

/** The same without a character of salt or digest: blocks stand in their place, so that nobody tests guesses by it. */
export function withoutDigest(explanation: RecordExplanation): RecordExplanation {
  const segments = explanation.segments.map((segment) =>
    GUESSABLE.has(segment.label) ? { ...segment, text: segment.text.replace(/[^…]/g, BLOCK) } : segment,
  );
  return { ...explanation, segments };
}

/**
 * Explains a record against the configured scheme. The digest is shortened, so that a screenshot gives nothing away.
 * @throws PhcReadError or SchemeError as `readRecord`.
 */
export function explainRecord(text: string, configured: Scheme, limits?: SchemeLimits): RecordExplanation {
  const sealed = readSealedDigest(text);
  if (sealed !== null) return explainSealed(text);
  const record = readRecord(text, limits);
  const { algorithm, parameters } = record.scheme;
  const meanings = algorithm.describe(parameters);
  const [, id = "", ...rest] = text.split("$");
  const hash = rest.pop() ?? "";
  const salt = rest.pop() ?? "";

  const segments: RecordSegment[] = [
    separator("$"),
    { text: id, label: "algorithm", meaning: algorithm.title },
    separator("$"),
  ];
  if (algorithm.version !== undefined) {
    const meaning = "of the algorithm, as its standard counts";
    segments.push({ text: rest.shift() ?? "", label: "version", meaning }, separator("$"));
  }
  (rest[0] ?? "").split(",").forEach((pair, index) => {
    const name = pair.slice(0, pair.indexOf("="));
    if (index > 0) segments.push(separator(","));
    const label = algorithm.parameters.get(name);
    segments.push(
      label === undefined
        ? { text: pair, ...describeOurs(name, pair.slice(name.length + 1)) }
        : { text: pair, label, meaning: meanings.get(name) ?? null },
    );
  });
  segments.push(
    separator("$"),
    { text: salt, label: "salt", meaning: describeSalt(record.salt.length) },
    separator("$"),
    {
      text: `${hash.slice(0, SHOWN_DIGEST_CHARACTERS)}…`,
      label: "digest",
      meaning: describeHash(record.hash.length),
    },
  );
  return {
    scheme: record.scheme.text,
    algorithm: algorithm.id,
    segments,
    memoryBytes: algorithm.memoryBytes(parameters),
    saltBytes: record.salt.length,
    hashBytes: record.hash.length,
    current: !isOutdated(record, configured),
  };
}

/** An old digest that waits to be wrapped: nothing of it is computed, it is opened and compared. */
function explainSealed(text: string): RecordExplanation {
  const { id, parameters, salt, hash } = phc.decode(text);
  const [key, recipe] = parameters;
  const [, , , nonce = "", box = ""] = text.split("$");
  return {
    scheme: schemeTextOf(text),
    algorithm: id,
    segments: [
      separator("$"),
      {
        text: id,
        label: "sealed",
        meaning: "an old digest, sealed until it has gone through the configured scheme",
      },
      separator("$"),
      {
        text: `key=${key?.[1]}`,
        label: "key",
        meaning: `AES-256-GCM under key ${key?.[1]} of the key ring, which is not in the database`,
      },
      separator(","),
      { text: `recipe=${recipe?.[1]}`, label: "recipe", meaning: "how the old system made the digest" },
      separator("$"),
      { text: nonce, label: "nonce", meaning: "random bytes of this sealing alone" },
      separator("$"),
      {
        text: `${box.slice(0, SHOWN_DIGEST_CHARACTERS)}…`,
        label: "sealed digest",
        meaning: "shortened here",
      },
    ],
    memoryBytes: 0,
    saltBytes: salt?.length ?? 0,
    hashBytes: hash?.length ?? 0,
    current: false,
  };
}

function separator(text: string): RecordSegment {
  return { text, label: null, meaning: null };
}

function describeSalt(length: number): string {
  const own = "random bytes of this record alone, so that equal passwords give different digests";
  return length < SALT_LENGTH ? `${length} ${own}; ${SALT_LENGTH} are made now` : `${length} ${own}`;
}

function describeHash(length: number): string {
  const made = length === HASH_LENGTH ? "" : `; ${HASH_LENGTH} are made now`;
  return `${length} bytes, shortened here${made}`;
}

function describeOurs(name: string, value: string): { label: string; meaning: string } {
  return name === "recipe"
    ? {
        label: "recipe",
        meaning: `an old digest, made by recipe ${value}, went through all this; the next sign-in makes an ordinary record`,
      }
    : {
        label: "pepper",
        meaning: `the hash went through HMAC-SHA-256 under key ${value} of the key ring, which is not in the database`,
      };
}
