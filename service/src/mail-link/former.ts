/** One thing from before a change of address, without which its undoing stays a dead letter (RC-3). */
import { hashToken } from "@lucchetto/core";
import type { MailLinkRow } from "../storage/index.ts";

/** Whether undoing it wants more than the link: the account had a password then, or a browser that it knew. */
export function wantsFormer({ formerRecord, formerDevices }: MailLinkRow): boolean {
  return formerRecord !== null || (formerDevices ?? []).length > 0;
}

/** Whether the account knew this browser before the change. */
export function isFormerDevice({ formerDevices }: MailLinkRow, mark: string | undefined): boolean {
  const shown = mark === undefined ? null : hashToken("device-mark", mark);
  return shown !== null && (formerDevices ?? []).includes(shown.toString("base64url"));
}
