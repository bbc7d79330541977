/** Recognising an app by its key. */
import { hashToken } from "@lucchetto/core";
import { noteUsesBy } from "../../base/storage/index.ts";
import type { KeyedApp } from "../app/store.ts";
import { noteKeyUse } from "../app/store.ts";
import type { ServiceContext } from "../context.ts";

/** The app that a client id and key name together; `null` for anything else. */
export async function recogniseApp(
  { dataSource, clock, lookUps }: ServiceContext,
  credentials: { clientId: string; key: string },
): Promise<KeyedApp | null> {
  const hashed = hashToken("app-key", credentials.key);
  if (hashed === null) return null;
  const found = await lookUps.appKey(hashed);
  if (found?.clientId !== credentials.clientId) return null;
  noteUseOf({ dataSource, clock }, found);
  return found;
}

const noteUse = noteUsesBy(noteKeyUse);

/** Notes that a key was used, now and then. */
export function noteUseOf(
  { dataSource, clock }: Pick<ServiceContext, "dataSource" | "clock">,
  { keyId, keyLastUsedAt }: Pick<KeyedApp, "keyId" | "keyLastUsedAt">,
): void {
  noteUse(dataSource, { id: keyId, lastUsedAt: keyLastUsedAt }, clock.now());
}
