/**
 * Attestation certificates (Web Authentication Level 3, sections 8.2.1 and 8.6), and the chains that they end. node:crypto reads and
 * verifies them; what it does not show (version, extensions) is read from the DER that it accepted (X.690, RFC 5280 section 4.1).
 */
import { X509Certificate } from "node:crypto";
import { PasskeyFault } from "./fault.ts";

/** A certificate of an attestation statement. */
export interface AttestationCertificate {
  readonly x509: X509Certificate;
  /** X.509 version; must be 3. */
  readonly version: number;
  /** Values by their OID's DER, in hexadecimal. */
  readonly extensions: ReadonlyMap<string, { readonly isCritical: boolean; readonly value: Uint8Array }>;
}

/** id-fido-gen-ce-aaguid, 1.3.6.1.4.1.45724.1.1.4. */
const AAGUID_EXTENSION = "2b0601040182e51c010104";

const TAG = {
  boolean: 0x01,
  octetString: 0x04,
  oid: 0x06,
  sequence: 0x30,
  version: 0xa0,
  extensions: 0xa3,
} as const;

/** Reads one. @throws PasskeyFault `passkey-certificate-wrong`. */
export function readCertificate(der: Uint8Array): AttestationCertificate {
  let x509: X509Certificate;
  try {
    x509 = new X509Certificate(der);
  } catch {
    throw wrong("it is not a certificate in DER");
  }
  // Bytes after it, or another form of the same, would be left out by OpenSSL.
  if (!x509.raw.equals(der)) throw wrong("it is not exactly one certificate in DER");
  const members = children(contentOf(children(contentOf(x509.raw))[0]));
  const versionMember = members.find(({ tag }) => tag === TAG.version);
  const version =
    (versionMember === undefined ? 0 : (children(versionMember.content)[0]?.content[0] ?? 0)) + 1;
  const list = members.find(({ tag }) => tag === TAG.extensions);
  const extensions = new Map<string, { isCritical: boolean; value: Uint8Array }>();
  for (const { content } of list === undefined ? [] : children(contentOf(list.content))) {
    const parts = children(content);
    const oid = parts.find(({ tag }) => tag === TAG.oid);
    const value = parts.find(({ tag }) => tag === TAG.octetString);
    if (oid === undefined || value === undefined) throw wrong("an extension cannot be read");
    const isCritical = parts.some(({ tag, content: [first] }) => tag === TAG.boolean && first !== 0);
    extensions.set(Buffer.from(oid.content).toString("hex"), { isCritical, value: value.content });
  }
  return { x509, version, extensions };
}

/** Section 8.2.1: what a packed attestation certificate has to be. @param aaguid of the attested credential data. */
export function checkPackedCertificate(certificate: AttestationCertificate, aaguid: Uint8Array): void {
  const { x509, version, extensions } = certificate;
  if (version !== 3) throw wrong("its version is not 3");
  const subject = new Map(x509.subject?.split("\n").map((line) => splitOnce(line, "=")));
  if (!/^[A-Z]{2}$/i.test(subject.get("C") ?? "")) throw wrong("its subject has no country of two letters");
  if (!subject.get("O")) throw wrong("its subject has no organisation");
  if (subject.get("OU") !== "Authenticator Attestation")
    throw wrong('its subject\'s unit is not "Authenticator Attestation"');
  if (!subject.get("CN")) throw wrong("its subject has no common name");
  if (x509.ca) throw wrong("it is an authority's");
  const extension = extensions.get(AAGUID_EXTENSION);
  if (extension === undefined) return;
  if (extension.isCritical) throw wrong("its AAGUID extension is critical");
  const [inner] = children(extension.value);
  if (inner?.tag !== TAG.octetString || !Buffer.from(inner.content).equals(aaguid))
    throw wrong("its AAGUID is another than the authenticator's");
}

/** Whether a chain, the attestation certificate first, ends in one of the anchors, each one valid now. */
export function endsInAnchor(
  chain: readonly AttestationCertificate[],
  { anchors, now }: { anchors: readonly X509Certificate[]; now: Date },
): boolean {
  let last: X509Certificate | undefined;
  for (const { x509 } of chain) {
    if (!isValidAt(x509, now)) return false;
    if (last !== undefined && !isIssuedBy(last, x509)) return false;
    if (anchors.some((anchor) => anchor.raw.equals(x509.raw))) return true;
    last = x509;
  }
  return last !== undefined && anchors.some((anchor) => isValidAt(anchor, now) && isIssuedBy(last, anchor));
}

function isIssuedBy(certificate: X509Certificate, issuer: X509Certificate): boolean {
  return issuer.ca && certificate.checkIssued(issuer) && certificate.verify(issuer.publicKey);
}

function isValidAt({ validFrom, validTo }: X509Certificate, now: Date): boolean {
  return Date.parse(validFrom) <= now.getTime() && now.getTime() <= Date.parse(validTo);
}

interface Element {
  readonly tag: number;
  readonly content: Uint8Array;
}

/** The elements of a constructed DER value, one level deep. */
function children(bytes: Uint8Array): Element[] {
  const elements: Element[] = [];
  for (let at = 0; at < bytes.length;) {
    const { tag, content, length } = readElement(bytes.subarray(at));
    elements.push({ tag, content });
    at += length;
  }
  return elements;
}

function readElement(bytes: Uint8Array): Element & { length: number } {
  const [tag, first] = bytes;
  if (tag === undefined || first === undefined) throw wrong("its DER ends too early");
  const lengthBytes = first < 0x80 ? 0 : first & 0x7f;
  const start = 2 + lengthBytes;
  const size =
    lengthBytes === 0 ? first : bytes.subarray(2, start).reduce((sum, byte) => sum * 256 + byte, 0);
  if (lengthBytes > 4 || start + size > bytes.length) throw wrong("its DER ends too early");
  return { tag, content: bytes.subarray(start, start + size), length: start + size };
}

function contentOf(element: Uint8Array | Element | undefined): Uint8Array {
  if (element === undefined) throw wrong("its DER ends too early");
  return "tag" in element ? element.content : readElement(element).content;
}

function splitOnce(text: string, separator: string): [string, string] {
  const at = text.indexOf(separator);
  return [text.slice(0, at), text.slice(at + 1)];
}

function wrong(what: string): PasskeyFault {
  return new PasskeyFault("passkey-certificate-wrong", `the attestation certificate: ${what}`);
}
