/** A mail as a message for the mail server (RFC 5322). */
import type Mail from "nodemailer/lib/mailer/index.js";
import type { Configuration } from "../../base/config/index.ts";
import type { MailBody } from "../../base/mail-text/render.ts";
import { LOGO_CID } from "../../base/mail-text/render.ts";
import type { MailRow } from "../../base/storage/index.ts";

/** The same Message-ID at every try, so that a receiver that got it twice can see it. */
export function messageOf(
  { mail, logo, publicUrl }: Pick<Configuration, "mail" | "logo" | "publicUrl">,
  { id, toAddress, createdAt }: Pick<MailRow, "id" | "toAddress" | "createdAt">,
  { subject, text, html }: MailBody,
): Mail.Options {
  return {
    from: mail.from,
    to: { name: "", address: toAddress },
    subject,
    text,
    html,
    date: createdAt,
    messageId: `<${id}@${new URL(publicUrl).hostname}>`,
    // RFC 3834: no absence notice answers it.
    headers: { "Auto-Submitted": "auto-generated" },
    attachments:
      logo === null
        ? []
        : [{ cid: LOGO_CID, content: logo.content, contentType: logo.type, contentDisposition: "inline" }],
    disableFileAccess: true,
    disableUrlAccess: true,
  };
}
