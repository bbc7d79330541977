/** A file on its way to the service, part by part. */
import type { IntakeDraft } from "@lucchetto/contract";
import { MAX_PART } from "@lucchetto/contract/pages";
import { routes } from "virtual:routes";
import { operate } from "./operate.svelte.ts";

/** Characters of an argument list that every browser takes. */
const AT_ONCE = 8_192;

/** Sends what is missing of a file. @param told is called after each part. */
export async function upload(
  file: File,
  draft: IntakeDraft,
  told: (draft: IntakeDraft) => void,
): Promise<void> {
  let sent = draft.bytes;
  while (sent < file.size) {
    const part = new Uint8Array(await file.slice(sent, sent + MAX_PART).arrayBuffer());
    const body = { at: sent, bytes: base64(part) };
    const answer = await operate(routes.addIntakePart, { params: { id: draft.id }, body });
    sent += part.length;
    told(answer.body as IntakeDraft);
  }
}

function base64(bytes: Uint8Array): string {
  let text = "";
  for (let from = 0; from < bytes.length; from += AT_ONCE)
    text += String.fromCharCode(...bytes.subarray(from, from + AT_ONCE));
  return btoa(text);
}
