/** The operator's list of compromised passwords, looked up on disk: one read for each question. */
import type { FileHandle } from "node:fs/promises";
import { open } from "node:fs/promises";
import type { ListLayout } from "@lucchetto/core";
import {
  HEADER_LENGTH,
  holdsEntry,
  listKeyOf,
  ListReadError,
  placesOf,
  readBucket,
  readHeader,
} from "@lucchetto/core";
import { ConfigurationError } from "../../base/config/index.ts";

export interface CompromisedList {
  readonly entries: number;
  /** @param text prepared text. */
  holds(text: string): Promise<boolean>;
  close(): Promise<void>;
}

/**
 * Opens a compiled list. Only its index is held: 320 KB for ten million entries.
 * @throws ConfigurationError if it is not there or broken, naming the file.
 */
export async function openCompromisedList(path: string): Promise<CompromisedList> {
  let file: FileHandle | undefined;
  try {
    file = await open(path, "r");
    return await readList(file);
  } catch (error) {
    await file?.close();
    const code = (error as NodeJS.ErrnoException).code;
    if (!(error instanceof ListReadError) && code === undefined) throw error;
    const why = error instanceof ListReadError ? error.message : `it cannot be read (${code ?? ""})`;
    throw new ConfigurationError("passwords", [`passwords.compromisedList: ${path}: ${why}`]);
  }
}

async function readList(file: FileHandle): Promise<CompromisedList> {
  const { size } = await file.stat();
  const header = Buffer.alloc(HEADER_LENGTH);
  const { bytesRead } = await file.read(header, 0, HEADER_LENGTH, 0);
  const layout = readHeader(header.subarray(0, bytesRead), size);
  const { entryLength, entriesBegin } = placesOf(layout);
  const index = Buffer.alloc(entriesBegin - HEADER_LENGTH);
  await file.read(index, 0, index.length, HEADER_LENGTH);
  assertIndex(index, layout);
  return {
    entries: layout.entries,
    async holds(text) {
      const { bucket, rest } = listKeyOf(text, layout);
      const [from, to] = readBucket(index, bucket);
      if (from === to) return false;
      const entries = Buffer.allocUnsafe((to - from) * entryLength);
      await file.read(entries, 0, entries.length, entriesBegin + from * entryLength);
      return holdsEntry(entries, rest);
    },
    close: () => file.close(),
  };
}

/** A damaged index would lead out of the file. @throws ListReadError. */
function assertIndex(index: Uint8Array, layout: ListLayout): void {
  const { buckets } = placesOf(layout);
  let end = 0;
  for (let bucket = 0; bucket < buckets; bucket += 1) {
    const [from, to] = readBucket(index, bucket);
    if (from !== end || to < from) throw new ListReadError("its index is damaged; compile it again");
    end = to;
  }
  if (end !== layout.entries) throw new ListReadError("its index is damaged; compile it again");
}
