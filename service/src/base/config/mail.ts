/** What the configuration says about mail, with its password, authority and logo read from where they lie. */
import { readFileSync } from "node:fs";
import { resolve } from "node:path";
import { isLoopbackHost } from "@lucchetto/core";
import type { z } from "zod";
import type { Configuration, configurationSchema, MailSettings } from "./schema.ts";
import type { SecretPlaces } from "./secrets.ts";
import { readSecret, SECRET_VARIABLES } from "./secrets.ts";

/** Ports of submission: with TLS from the first byte (RFC 8314), and with STARTTLS (RFC 6409). */
const PORTS = { "smtps:": 465, "smtp:": 587 } as const;

/** Fills in what the mode and the address say. */
export function readMail(
  { mail, publicUrl }: z.output<typeof configurationSchema>,
  places: SecretPlaces,
): MailSettings {
  const { folder, faults } = places;
  const { via, smtp } = mail;
  const from = mail.from ?? `accounts@${new URL(publicUrl).hostname}`;
  if (smtp.url === undefined || (via !== undefined && via !== "smtp"))
    return { via: via === "none" ? "none" : "mailbox", from };
  const url = new URL(smtp.url);
  const variable = SECRET_VARIABLES.mail;
  const password = readSecret(places, {
    variable,
    file: smtp.passwordFile,
    setting: "mail.smtp.passwordFile",
  });
  const user = url.username === "" ? null : decodeURIComponent(url.username);
  if (user !== null && password === null && smtp.passwordFile === undefined)
    faults.push(
      `mail.smtp.passwordFile: missing, expected the path of a file of mode 0600 with the password of ${user} (or set ${variable})`,
    );
  const isTls = url.protocol === "smtps:";
  return {
    via: "smtp",
    from,
    host: url.hostname.replace(/^\[|\]$/g, ""),
    port: url.port === "" ? PORTS[isTls ? "smtps:" : "smtp:"] : Number(url.port),
    isTls,
    // Over the network nothing goes in the clear unless the operator says so.
    mustStartTls:
      !isTls && (smtp.startTls ?? (isLoopbackHost(url.hostname) ? "optional" : "required")) === "required",
    user,
    password,
    authority: readAuthority(folder, smtp.authorityFile, faults),
    connections: smtp.connections,
    timeout: smtp.timeout,
  };
}

function readAuthority(folder: string, file: string | undefined, faults: string[]): string | null {
  if (file === undefined) return null;
  try {
    const text = readFileSync(resolve(folder, file), "utf8");
    if (text.includes("-----BEGIN CERTIFICATE-----")) return text;
    faults.push(`mail.smtp.authorityFile: ${file} holds no PEM certificate`);
  } catch (error) {
    faults.push(`mail.smtp.authorityFile: ${file} cannot be read (${(error as NodeJS.ErrnoException).code})`);
  }
  return null;
}

/** Larger pictures make every mail heavy. */
const LARGEST_LOGO = 200_000;

/** Reads the picture at the head of mails. */
export function readLogo(file: string | null, faults: string[]): Configuration["logo"] {
  if (file === null) return null;
  let content: Buffer;
  try {
    content = readFileSync(file);
  } catch (error) {
    faults.push(`site.logo: ${file} cannot be read (${(error as NodeJS.ErrnoException).code})`);
    return null;
  }
  const type = typeOf(content);
  if (type === null || content.length > LARGEST_LOGO) {
    faults.push(
      `site.logo: expected a PNG or JPEG picture of at most 200 KB, found ${file} (${content.length} bytes)`,
    );
    return null;
  }
  return { content, type };
}

/** The operator's stylesheet; at most as large as a picture may be. */
export function readStylesheet(file: string | null, faults: string[]): string | null {
  if (file === null) return null;
  try {
    const text = readFileSync(file, "utf8");
    if (text.length <= LARGEST_LOGO) return text;
    faults.push(`site.stylesheet: expected at most 200 KB, found ${file} (${text.length} characters)`);
  } catch (error) {
    faults.push(`site.stylesheet: ${file} cannot be read (${(error as NodeJS.ErrnoException).code})`);
  }
  return null;
}

function typeOf(content: Buffer): "image/png" | "image/jpeg" | null {
  if (content.subarray(0, 8).toString("latin1") === "\x89PNG\r\n\x1a\n") return "image/png";
  return content.subarray(0, 3).toString("latin1") === "\xff\xd8\xff" ? "image/jpeg" : null;
}
