/** `keys-…`: the key ring's file. It is changed by writing a new one aside and moving it into place. */
import { randomBytes } from "node:crypto";
import { existsSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { KEY_BYTES, readKeyRing } from "@lucchetto/core";
import { parse, stringify } from "yaml";

/** What was wrong, for the person at the keyboard. */
export class KeyRefusal extends Error {
  override readonly name = "KeyRefusal";
}

/** What stands under a key. */
export interface NeedsOfKey {
  /** Password records peppered with it. */
  readonly records: number;
  /** Mails. */
  readonly sealed: number;
  readonly authenticators: number;
  readonly recoveryCodes: number;
}

export interface KeyRingShown {
  readonly file: string;
  readonly current: string | null;
  readonly ids: readonly string[];
}

interface RingFile {
  current: string;
  keys: Record<string, string>;
}

/** The ids, never the keys. */
export function listKeys(file: string): KeyRingShown {
  const ring = read(file);
  return { file, current: ring?.current ?? null, ids: Object.keys(ring?.keys ?? {}) };
}

/** Adds a random key. The first one is current at once; a later one only when it is promoted. */
export function addKey(file: string): KeyRingShown {
  const ring = read(file);
  const taken = new Set(Object.keys(ring?.keys ?? {}));
  let number = taken.size + 1;
  while (taken.has(`k${number}`)) number += 1;
  const id = `k${number}`;
  const keys = { ...ring?.keys, [id]: randomBytes(KEY_BYTES).toString("base64url") };
  write(file, { current: ring?.current ?? id, keys });
  return listKeys(file);
}

/** Makes a key current. Add it on every instance first, and restart them. @throws KeyRefusal. */
export function promoteKey(file: string, id: string): KeyRingShown {
  const ring = existing(file, id);
  write(file, { ...ring, current: id });
  return listKeys(file);
}

/**
 * Removes a key that is not current and that nothing needs any more.
 * @param count what would be lost with it. @throws KeyRefusal.
 */
export async function retireKey(
  file: string,
  id: string,
  count: (id: string) => Promise<NeedsOfKey>,
): Promise<KeyRingShown> {
  const ring = existing(file, id);
  if (ring.current === id) throw new KeyRefusal(`${id} is the current key; promote another first`);
  const { records, sealed, authenticators, recoveryCodes } = await count(id);
  if (records > 0) {
    throw new KeyRefusal(
      `${records} password record${records === 1 ? " is" : "s are"} peppered under ${id}; without it nobody of them can sign in. They are re-made as people sign in: lucchetto account list --scheme older`,
    );
  }
  if (sealed > 0)
    throw new KeyRefusal(
      `${sealed} mail${sealed === 1 ? " is" : "s are"} sealed under ${id}; they go when they are sent, caught ones after thirty days`,
    );
  if (authenticators + recoveryCodes > 0)
    throw new KeyRefusal(
      `${authenticators} authenticator app${authenticators === 1 ? "" : "s"} and ${recoveryCodes} recovery code${recoveryCodes === 1 ? "" : "s"} stand under ${id}; without it their owners cannot sign in. Apps are sealed anew when they are used; codes go when a new set is made`,
    );
  const { [id]: _, ...keys } = ring.keys;
  write(file, { ...ring, keys });
  return listKeys(file);
}

function existing(file: string, id: string): RingFile {
  const ring = read(file);
  if (ring === null || !Object.hasOwn(ring.keys, id)) {
    throw new KeyRefusal(`there is no key ${id} in ${file}; \`lucchetto keys list\` shows the ids`);
  }
  return ring;
}

function read(file: string): RingFile | null {
  if (!existsSync(file)) return null;
  const parsed: unknown = parse(readFileSync(file, "utf8"));
  readKeyRing(parsed);
  return parsed as RingFile;
}

function write(file: string, ring: RingFile): void {
  const aside = `${file}.${process.pid}`;
  const note = "# Lucchetto's key ring. Keep it as secret as a password, and in your backups.\n";
  writeFileSync(aside, note + stringify(ring), { mode: 0o600, flag: "wx" });
  renameSync(aside, file);
}
