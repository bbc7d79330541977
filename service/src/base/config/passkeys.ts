/** Settings of passkeys: the relying party, where its pages may stand, and which authenticators are trusted. */
import { X509Certificate } from "node:crypto";
import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { COSE_ALGORITHM } from "@lucchetto/core/passkey";
import { z } from "zod";
import type { configurationSchema, PasskeySettings } from "./schema.ts";

type Checked = z.output<typeof configurationSchema>;

/** @param beside the path of a file that the configuration names. @param faults gets what is wrong. */
export function readPasskeySettings(
  { publicUrl, passkeys }: Pick<Checked, "publicUrl" | "passkeys">,
  beside: (file: string | undefined) => string | null,
  faults: string[],
): PasskeySettings {
  const { hostname, origin } = new URL(publicUrl);
  const { relyingPartyId = hostname, topOrigins, counterBehind, giveUp } = passkeys;
  if (!isWithin(hostname, relyingPartyId))
    faults.push(
      `passkeys.relyingPartyId: found ${relyingPartyId}, expected ${hostname} (the host of publicUrl) or a parent domain of it`,
    );
  else if (!relyingPartyId.includes(".") && relyingPartyId !== hostname)
    faults.push(
      `passkeys.relyingPartyId: found ${relyingPartyId}, which is a whole top-level domain; no browser takes it`,
    );
  const trustAnchors = readAnchors(beside(passkeys.trustAnchors), faults);
  if (trustAnchors.length > 0 && passkeys.attestation === "none")
    faults.push(
      "passkeys.attestation: found none, but passkeys.trustAnchors names certificates; no authenticator could show one",
    );
  const origins = [...new Set([origin, ...passkeys.origins])];
  return {
    relyingPartyId,
    origins,
    relatedOrigins: origins.filter((one) => !isWithin(new URL(one).hostname, relyingPartyId)),
    topOrigins,
    algorithms: passkeys.algorithms.map((name) => COSE_ALGORITHM[name]),
    attestation: passkeys.attestation ?? (trustAnchors.length > 0 ? "direct" : "none"),
    trustAnchors,
    names: readNames(beside(passkeys.names), faults),
    counterBehind,
    giveUp,
  };
}

/** Whether a host is a domain or lies below it. */
export function isWithin(hostname: string, domain: string): boolean {
  return hostname === domain || hostname.endsWith(`.${domain}`);
}

const PEM = /-----BEGIN CERTIFICATE-----[^-]+-----END CERTIFICATE-----/g;

function readAnchors(folder: string | null, faults: string[]): X509Certificate[] {
  if (folder === null) return [];
  try {
    const texts = readdirSync(folder)
      .filter((name) => /\.(pem|crt|cer)$/i.test(name))
      .map((name) => readFileSync(join(folder, name), "utf8"));
    const anchors = texts.flatMap((text) => text.match(PEM) ?? []).map((pem) => new X509Certificate(pem));
    if (anchors.length > 0) return anchors;
    faults.push(`passkeys.trustAnchors: found no certificate in ${folder}; expected files *.pem`);
  } catch (error) {
    faults.push(`passkeys.trustAnchors: ${folder} cannot be read: ${(error as Error).message}`);
  }
  return [];
}

const statement = z.looseObject({ aaguid: z.string().optional(), description: z.string() });
/** A list of metadata statements, or the payload of a metadata BLOB (FIDO Metadata Statement, FIDO Metadata Service). */
const metadata = z.union([
  z.array(statement),
  z.looseObject({
    entries: z.array(
      z.looseObject({ aaguid: z.string().optional(), metadataStatement: statement.optional() }),
    ),
  }),
]);

const MAX_NAME_LENGTH = 60;

function readNames(file: string | null, faults: string[]): ReadonlyMap<string, string> {
  const names = new Map<string, string>();
  if (file === null) return names;
  try {
    const read = metadata.parse(JSON.parse(readFileSync(file, "utf8")));
    const statements = Array.isArray(read)
      ? read
      : read.entries.flatMap(({ aaguid, metadataStatement: one }) =>
          one === undefined ? [] : [{ ...one, aaguid: one.aaguid ?? aaguid }],
        );
    for (const { aaguid, description } of statements)
      if (aaguid !== undefined)
        names.set(aaguid.replaceAll("-", "").toLowerCase(), description.slice(0, MAX_NAME_LENGTH));
  } catch (error) {
    const why =
      error instanceof z.ZodError ? "it is no list of metadata statements" : (error as Error).message;
    faults.push(`passkeys.names: ${file} cannot be read: ${why}`);
  }
  return names;
}
