/** Takes a record apart along its own string, segment by segment, for people who look at what is stored. */
import { HASH_LENGTH, isOutdated, readRecord, SALT_LENGTH } from "./record.ts";
import type { Scheme, SchemeLimits } from "./scheme.ts";
import { describeScrypt, scryptMemoryBytes } from "./scrypt.ts";

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

/**
 * Explains a record against the configured scheme. The digest is shortened, so that a screenshot gives nothing away.
 * @throws PhcReadError or SchemeError as `readRecord`.
 */
export function explainRecord(text: string, configured: Scheme, limits?: SchemeLimits): RecordExplanation {
  const record = readRecord(text, limits);
  const { parameters } = record.scheme;
  const meanings = describeScrypt(record.scheme);
  const [, id = "", parameterText = "", salt = "", hash = ""] = text.split("$");

  const segments: RecordSegment[] = [
    separator("$"),
    { text: id, label: "algorithm", meaning: "scrypt, a memory-hard password hash (RFC 7914)" },
    separator("$"),
  ];
  parameterText.split(",").forEach((pair, index) => {
    const name = pair.slice(0, pair.indexOf("="));
    if (index > 0) segments.push(separator(","));
    segments.push({ text: pair, label: PARAMETER_LABELS[name] ?? name, meaning: meanings.get(name) ?? null });
  });
  segments.push(
    separator("$"),
    { text: salt, label: "salt", meaning: describeSalt(record.salt.length) },
    separator("$"),
    {
      text: `${hash.slice(0, SHOWN_DIGEST_CHARACTERS)}…`,
      label: "digest",
      meaning: `${record.hash.length} bytes, shortened here; ${HASH_LENGTH} are made now`,
    },
  );
  return {
    scheme: record.scheme.text,
    algorithm: record.scheme.id,
    segments,
    memoryBytes: scryptMemoryBytes(parameters),
    saltBytes: record.salt.length,
    hashBytes: record.hash.length,
    current: !isOutdated(record, configured),
  };
}

const PARAMETER_LABELS: Readonly<Record<string, string>> = {
  ln: "cost factor",
  r: "block size",
  p: "parallelization",
};

function separator(text: string): RecordSegment {
  return { text, label: null, meaning: null };
}

function describeSalt(length: number): string {
  const own = "random bytes of this record alone, so that equal passwords give different digests";
  return length < SALT_LENGTH ? `${length} ${own}; ${SALT_LENGTH} are made now` : `${length} ${own}`;
}
