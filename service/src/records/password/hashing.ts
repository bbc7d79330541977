/** Hashing under load: in places of which there are few, and past the line behind them an honest "too busy". */
import { randomBytes } from "node:crypto";
import { availableParallelism } from "node:os";
import { performance } from "node:perf_hooks";
import type { KeyRing, PasswordRecord, Peppers, Scheme } from "@lucchetto/core";
import { checkRecord, deriveKey, HASH_LENGTH, makeRecord, SALT_LENGTH, withPepper } from "@lucchetto/core";
import type { Configuration } from "../../base/config/index.ts";
import type { Asker, Places } from "../../base/queue/places.ts";
import { createPlaces } from "../../base/queue/places.ts";
import type { StoredPassword, TypedPassword } from "./checking.ts";

export interface Hashing extends Places {
  /** The scheme of new records, with the pepper's key if one is wanted. */
  readonly scheme: Scheme;
  /** The pepper's keys, by id: those of the whole ring. */
  readonly peppers: Peppers;
  /**
   * Milliseconds that one hash of the configured scheme takes on this machine. Measured beside the start, which waits for nothing:
   * whoever needs it in the first second waits for it.
   */
  readonly measured: Promise<number>;
  /** Makes a record of a prepared password. @throws ProblemReply `too-busy`. */
  make(password: string, asker: Asker): Promise<string>;
  /** Checks a password; against nothing stored it costs the same and is false. @throws ProblemReply `too-busy`. */
  check(shown: TypedPassword, stored: StoredPassword | null, asker: Asker): Promise<boolean>;
}

/** Hashes measured at the start. */
const MEASURED = 3;

/** What new records are made with: the configured scheme, peppered under the ring's current key if that is wanted. */
export function schemeOfNewRecords({
  passwords,
  keyRing,
}: Pick<Configuration, "passwords" | "keyRing">): Scheme {
  const { scheme } = passwords.hashing;
  return passwords.pepper === "on" && keyRing !== null ? withPepper(scheme, keyRing.current) : scheme;
}

/** The pepper's keys: derived from the ring's for this purpose alone. */
export function peppersOf(keyRing: KeyRing | null): Peppers {
  return new Map([...(keyRing?.keys ?? [])].map(([id, key]) => [id, deriveKey(key, "pepper")]));
}

/** Makes the service's hashing, and begins to measure the scheme on this machine. */
export function createHashing(configuration: Pick<Configuration, "passwords" | "keyRing">): Hashing {
  const scheme = schemeOfNewRecords(configuration);
  const peppers = peppersOf(configuration.keyRing);
  const { hashing: limits } = configuration.passwords;
  // What nobody waits for has all cores while nobody signs in.
  const together = Math.max(limits.parallel, availableParallelism());
  const places = createPlaces({ ...limits, together });
  const dummyRecord: PasswordRecord = {
    scheme,
    salt: randomBytes(SALT_LENGTH),
    hash: randomBytes(HASH_LENGTH),
  };
  const make = (password: string) => makeRecord(password, scheme, randomBytes(SALT_LENGTH), peppers);
  return {
    scheme,
    peppers,
    measured: measure(() => make("a password that nobody has")),
    ...places,
    make: (password, asker) => places.run(asker, () => make(password)),
    check: (shown, stored, asker) =>
      places.run(asker, async () => {
        if (stored !== null) return stored.matches(shown);
        await checkRecord(shown.prepared, dummyRecord, peppers);
        return false;
      }),
  };
}

async function measure(hash: () => Promise<unknown>): Promise<number> {
  const times: number[] = [];
  for (let round = 0; round <= MEASURED; round += 1) {
    const started = performance.now();
    await hash();
    times.push(performance.now() - started);
  }
  // The first one also pays for memory that the process has not held before.
  const [median = 0] = times
    .slice(1)
    .sort((left, right) => left - right)
    .slice(Math.floor(MEASURED / 2));
  return median;
}
