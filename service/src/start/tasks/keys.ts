/** `keys-…`: the key ring's file. It is changed by writing a new one aside and moving it into place. */
import { randomBytes } from "node:crypto";
import { existsSync, readFileSync } from "node:fs";
import type { KeyNeeds, KeyRingShown } from "@lucchetto/contract";
import { KEY_BYTES, readKeyRing } from "@lucchetto/core";
import { parse, stringify } from "yaml";
import { replaceFile } from "../../base/replace-file.ts";

/** What was wrong, for the person at the keyboard. */
export class KeyRefusal extends Error {
  override readonly name = "KeyRefusal";
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
 * Removes a key that is not current and that nothing needs any more; or, given up, with what still needs it.
 * @param count what would be lost with it. @throws KeyRefusal.
 */
export async function retireKey(
  file: string,
  id: string,
  { count, giveUp }: { count: (id: string) => Promise<KeyNeeds>; giveUp: boolean },
): Promise<KeyRingShown> {
  const ring = existing(file, id);
  if (ring.current === id) throw new KeyRefusal(`${id} is the current key; promote another first`);
  if (!giveUp) assertNotNeeded(id, await count(id));
  const { [id]: _, ...keys } = ring.keys;
  write(file, { ...ring, keys });
  return listKeys(file);
}

function assertNotNeeded(id: string, needs: KeyNeeds): void {
  const lost = describeLoss(needs);
  if (lost.length > 0)
    throw new KeyRefusal(
      `${id} is still needed: ${lost.map(({ what, meanwhile }) => `${what}; ${meanwhile}`).join(". ")}. To remove it anyway: lucchetto keys retire ${id} --give-up`,
    );
}

/** What goes with a key, what becomes of it by itself, and what people have to do if it is given up. */
export function describeLoss({ records, sealed, authenticators, recoveryCodes, entries }: KeyNeeds) {
  const all = [
    {
      count: records,
      what: `${records} password record${records === 1 ? " is" : "s are"} peppered under it`,
      meanwhile: "they are re-made as people sign in (lucchetto account list --scheme older)",
      afterwards: "their people ask for a new password by mail, or sign in with a passkey",
    },
    {
      count: sealed,
      what: `${sealed} mail${sealed === 1 ? " is" : "s are"} sealed under it`,
      meanwhile: "they go when they are sent, caught ones after thirty days",
      afterwards: "those that wait are never sent; their people ask again",
    },
    {
      count: authenticators,
      what: `${authenticators} authenticator app${authenticators === 1 ? " is" : "s are"} sealed under it`,
      meanwhile: "the service seals them anew after its next start",
      afterwards:
        "their people sign in with a recovery code or a passkey, or an operator removes their second factor",
    },
    {
      count: recoveryCodes,
      what: `${recoveryCodes} recovery code${recoveryCodes === 1 ? " is" : "s are"} keyed under it`,
      meanwhile: "they go when their people make a new set",
      afterwards: "they open nothing any more; their people make a new set on the account page",
    },
    {
      count: entries,
      what: `${entries} seal${entries === 1 ? "" : "s"} of the journal ${entries === 1 ? "is" : "are"} made with it`,
      meanwhile: "the service seals them anew after its next start",
      afterwards:
        "nobody can tell any more whether those entries are as they were written, and the journal keeps them for good",
    },
  ];
  return all.filter(({ count }) => count > 0);
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
  const note = "# Lucchetto's key ring. Keep it as secret as a password, and in your backups.\n";
  replaceFile(file, note + stringify(ring));
}
