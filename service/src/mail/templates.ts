/** What mails say: HTML and text from one source. Names that people chose are text, never markup. */

/** A mail as paragraphs, with one button at most. */
export interface MailText {
  readonly subject: string;
  readonly paragraphs: readonly string[];
  readonly button?: { readonly text: string; readonly href: string };
}

/** A mail as it is sent. */
export interface MailBody {
  readonly text: string;
  readonly html: string;
}

/** @param siteName stands above it. */
export function render({ paragraphs, button }: MailText, siteName: string): MailBody {
  const text = [
    siteName,
    ...paragraphs,
    ...(button === undefined ? [] : [`${button.text}:\n${button.href}`]),
  ];
  const blocks = paragraphs.map((paragraph) => `<p style="margin:0 0 16px">${escape(paragraph)}</p>`);
  const pressed =
    button === undefined
      ? ""
      : `<p style="margin:24px 0"><a href="${escape(button.href)}" style="background:#866729;color:#ffffff;padding:12px 24px;border-radius:8px;text-decoration:none;font-weight:600">${escape(button.text)}</a></p>`;
  return {
    text: `${text.join("\n\n")}\n`,
    html: `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="color-scheme" content="light dark"><title>${escape(siteName)}</title></head><body style="margin:0;padding:32px 16px;font:16px/1.55 system-ui,sans-serif"><div style="max-width:520px;margin:0 auto"><p style="margin:0 0 24px;font-weight:600">${escape(siteName)}</p>${blocks.join("")}${pressed}</div></body></html>`,
  };
}

export function resetMail(href: string): MailText {
  return {
    subject: "Choose a new password",
    paragraphs: [
      "Somebody, we hope you, asked for a new password for your account.",
      "The link works once, and for 30 minutes. Whoever opens it is asked for a new password; nothing happens before.",
      "If it was not you, do nothing: your password stays as it is.",
    ],
    button: { text: "Choose a new password", href },
  };
}

export function passwordResetNotice(at: Date, network: string | null): MailText {
  return {
    subject: "Your password was changed",
    paragraphs: [
      `The password of your account was reset by a mailed link on ${at.toISOString().replace("T", " ").slice(0, 16)} UTC${network === null ? "" : `, from ${network}`}. All sessions were ended.`,
      "If it was not you, somebody reads your mail: change its password first, then ask for a new password here.",
    ],
  };
}

function escape(text: string): string {
  return text
    .replaceAll("&", "&amp;")
    .replaceAll("<", "&lt;")
    .replaceAll(">", "&gt;")
    .replaceAll('"', "&quot;");
}
