/** Attestation statements and the certificates beside them, made on the spot. */
import { execFileSync } from "node:child_process";
import { createHash, createPrivateKey, randomBytes, X509Certificate } from "node:crypto";
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Attest, Behaviour } from "../../../demo/src/authenticator/software-authenticator.ts";
import {
  ALGORITHM,
  attestItself,
  attestNothing,
  coseKeyOf,
  makePasskey,
  signWith,
} from "../../../demo/src/authenticator/software-authenticator.ts";
import type { ExpectedRegistration } from "./index.ts";
import { creationOptions, PasskeyFault, verifyRegistration } from "./index.ts";

const ORIGIN = "https://brina.example";
const AAGUID = randomBytes(16);
const SUBJECT = "/C=IT/O=Brina Keys/OU=Authenticator Attestation/CN=Brina Key 1";
const YEAR = 365 * 86_400_000;

const folder = mkdtempSync(join(tmpdir(), "lucchetto-attestation-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** A certificate with its key. */
interface Issued {
  readonly der: Buffer;
  readonly x509: X509Certificate;
  readonly key: string;
  readonly certFile: string;
  readonly keyFile: string;
}

const openssl = (...args: string[]) => execFileSync("openssl", args, { stdio: ["ignore", "pipe", "ignore"] });
let made = 0;

function issue({
  subject = SUBJECT,
  by,
  ca = false,
  aaguid = AAGUID,
  isCritical = false,
  curve = "prime256v1",
  version1 = false,
}: {
  subject?: string;
  by?: Issued;
  ca?: boolean;
  aaguid?: Buffer | null;
  isCritical?: boolean;
  curve?: string;
  version1?: boolean;
} = {}): Issued {
  made += 1;
  const file = (ending: string) => join(folder, `${made}.${ending}`);
  const [keyFile, certFile, requestFile, extensions] = [file("key"), file("pem"), file("csr"), file("ext")];
  openssl("ecparam", "-name", curve, "-genkey", "-noout", "-out", keyFile);
  openssl("req", "-new", "-key", keyFile, "-subj", subject, "-out", requestFile);
  const lines = [`basicConstraints=CA:${ca ? "TRUE" : "FALSE"}`];
  if (aaguid !== null)
    lines.push(`1.3.6.1.4.1.45724.1.1.4=${isCritical ? "critical," : ""}DER:0410${aaguid.toString("hex")}`);
  writeFileSync(extensions, lines.join("\n"));
  openssl(
    ...["x509", "-req", "-in", requestFile, "-days", "2", "-out", certFile],
    ...(by === undefined
      ? ["-signkey", keyFile]
      : ["-CA", by.certFile, "-CAkey", by.keyFile, "-CAcreateserial"]),
    ...(version1 ? [] : ["-extfile", extensions]),
  );
  const x509 = new X509Certificate(readFileSync(certFile));
  return { der: x509.raw, x509, key: readFileSync(keyFile, "utf8"), certFile, keyFile };
}

let root: Issued;
let otherRoot: Issued;
let device: Issued;
/** A while after the certificates were made, within their two days. */
let now: Date;
beforeAll(() => {
  root = issue({ subject: "/CN=Brina Root", ca: true, aaguid: null });
  now = new Date(Date.parse(root.x509.validFrom) + 3_600_000);
  otherRoot = issue({ subject: "/CN=Other Root", ca: true, aaguid: null });
  device = issue({ by: root });
});

type Statement = Record<string, unknown>;

/** A packed statement by a certificate, altered before it is sent. */
const packedBy =
  (
    certificate: Issued,
    { alg = ALGORITHM.ES256, chain = [] as Issued[], alter = (all: Statement): Statement => all } = {},
  ): Attest =>
  ({ authenticatorData, clientDataHash }) => {
    const signer = { privateKey: createPrivateKey(certificate.key), algorithm: ALGORITHM.ES256 };
    const sig = signWith(signer, Buffer.concat([authenticatorData, clientDataHash]));
    const x5c = [certificate, ...chain].map(({ der }) => Uint8Array.from(der));
    return { fmt: "packed", attStmt: alter({ alg, sig, x5c }) };
  };

/** The signature base of U2F, altered before it is signed. */
const u2fBy =
  (
    certificate: Issued,
    { alter = (all: Statement): Statement => all, lead = 0x04, cutX = false, chain = [] as Issued[] } = {},
  ): Attest =>
  ({ authenticatorData, clientDataHash, credentialId, privateKey, algorithm }) => {
    const key = coseKeyOf(privateKey, algorithm);
    const [x, y] = [-2, -3].map((label) => Buffer.from(key.get(label) as Uint8Array));
    const base = Buffer.concat([
      Buffer.of(0),
      authenticatorData.subarray(0, 32),
      clientDataHash,
      credentialId,
      Buffer.of(lead),
      cutX ? (x as Buffer).subarray(1) : (x as Buffer),
      y as Buffer,
    ]);
    const sig = signWith({ privateKey: createPrivateKey(certificate.key), algorithm: ALGORITHM.ES256 }, base);
    const x5c = [certificate, ...chain].map(({ der }) => Uint8Array.from(der));
    return { fmt: "fido-u2f", attStmt: alter({ sig, x5c }) };
  };

/** The slug with which a registration is refused, or "accepted". */
function outcome(behaviour: Partial<Behaviour>, expected: Partial<ExpectedRegistration> = {}): string {
  const challenge = randomBytes(32);
  const options = creationOptions({
    challenge,
    relyingParty: { id: "brina.example", name: "Brina Huts" },
    user: { handle: randomBytes(32), name: "anna", displayName: "Anna" },
    algorithms: [ALGORITHM.ES256],
    excluded: [],
    attestation: "direct",
    standsAlone: false,
  });
  const { credential } = makePasskey(options, { origin: ORIGIN, aaguid: AAGUID, ...behaviour });
  try {
    verifyRegistration(credential, {
      challenge,
      origins: [ORIGIN],
      topOrigins: [],
      rpId: "brina.example",
      requireUserVerification: false,
      algorithms: [ALGORITHM.ES256, ALGORITHM.RS256],
      anchors: [],
      now,
      ...expected,
    });
    return "accepted";
  } catch (error) {
    if (error instanceof PasskeyFault) return error.code;
    throw error;
  }
}

const STATEMENT = "passkey-attestation-statement-wrong";
const SIGNATURE = "passkey-attestation-signature-wrong";
const CERTIFICATE = "passkey-certificate-wrong";
const UNTRUSTED = "passkey-attestation-untrusted";

describe("attestation", () => {
  test("PK-21 none has an empty statement", () => {
    expect(outcome({ attestation: attestNothing })).toBe("accepted");
    expect(outcome({ attestation: () => ({ fmt: "none", attStmt: { sig: Uint8Array.of(1) } }) })).toBe(
      STATEMENT,
    );
  });

  test("PK-22 packed by the credential's own key", () => {
    const altered = (change: (statement: Statement) => Statement) =>
      outcome({
        attestation: (about) => {
          const { fmt, attStmt } = attestItself(about);
          return { fmt, attStmt: change(attStmt) };
        },
      });
    expect(altered((all) => all)).toBe("accepted");
    expect(altered((all) => ({ ...all, alg: ALGORITHM.EdDSA }))).toBe(STATEMENT);
    expect(altered((all) => ({ ...all, alg: "ES256" }))).toBe(STATEMENT);
    expect(altered(({ sig: _sig, ...all }) => all)).toBe(STATEMENT);
    const flipped = (sig: unknown) =>
      Uint8Array.from(sig as Buffer, (byte, at) => (at === 20 ? byte ^ 1 : byte));
    expect(altered((all) => ({ ...all, sig: flipped(all["sig"]) }))).toBe(SIGNATURE);
    const byAnother: Attest = (about) => attestItself({ ...about, privateKey: createPrivateKey(device.key) });
    expect(outcome({ attestation: byAnother })).toBe(SIGNATURE);
  });

  test("PK-23 packed by a certificate's key, under the stated algorithm", () => {
    const altered = (alter: (statement: Statement) => Statement) =>
      outcome({ attestation: packedBy(device, { alter }) });
    expect(altered((all) => all)).toBe("accepted");
    expect(altered((all) => ({ ...all, x5c: [] }))).toBe(STATEMENT);
    expect(altered((all) => ({ ...all, x5c: "text" }))).toBe(STATEMENT);
    expect(altered((all) => ({ ...all, x5c: ["text"] }))).toBe(STATEMENT);
    expect(altered((all) => ({ ...all, x5c: [randomBytes(200)] }))).toBe(CERTIFICATE);
    const longer = Buffer.concat([device.der, Buffer.of(0)]);
    expect(altered((all) => ({ ...all, x5c: [Uint8Array.from(longer)] }))).toBe(CERTIFICATE);
    expect(
      altered((all) => ({ ...all, x5c: Array.from({ length: 9 }, () => Uint8Array.from(device.der)) })),
    ).toBe(STATEMENT);
    expect(altered((all) => ({ ...all, alg: ALGORITHM.RS256 }))).toBe(STATEMENT);
    expect(altered((all) => ({ ...all, alg: ALGORITHM.ES384 }))).toBe(STATEMENT);
    expect(altered((all) => ({ ...all, alg: -65535 }))).toBe(STATEMENT);
    const byCredential: Attest = (about) => ({
      fmt: "packed",
      attStmt: { ...attestItself(about).attStmt, x5c: [Uint8Array.from(device.der)] },
    });
    expect(outcome({ attestation: byCredential })).toBe(SIGNATURE);
  });

  test.each<[string, Parameters<typeof issue>[0], string]>([
    ["no country", { subject: "/O=Brina Keys/OU=Authenticator Attestation/CN=Key" }, CERTIFICATE],
    ["no organisation", { subject: "/C=IT/OU=Authenticator Attestation/CN=Key" }, CERTIFICATE],
    ["another unit", { subject: "/C=IT/O=Brina Keys/OU=Attestation/CN=Key" }, CERTIFICATE],
    ["no common name", { subject: "/C=IT/O=Brina Keys/OU=Authenticator Attestation" }, CERTIFICATE],
    ["an authority's", { ca: true }, CERTIFICATE],
    ["version 1", { version1: true }, CERTIFICATE],
    ["another AAGUID", { aaguid: randomBytes(16) }, CERTIFICATE],
    ["a critical AAGUID", { isCritical: true }, CERTIFICATE],
    ["no AAGUID", { aaguid: null }, "accepted"],
  ])("PK-24 the packed certificate: %s", (_what, how, expected) => {
    expect(outcome({ attestation: packedBy(issue(how)) })).toBe(expected);
  });

  test("PK-25 fido-u2f", () => {
    const zero = { aaguid: new Uint8Array(16) };
    const u2f = issue({ by: root, subject: "/CN=U2F", aaguid: null });
    expect(outcome({ ...zero, attestation: u2fBy(u2f) })).toBe("accepted");
    expect(outcome({ ...zero, attestation: u2fBy(u2f, { chain: [root] }) })).toBe(STATEMENT);
    const { sig: _sig, ...unsigned } = { sig: 1 };
    expect(
      outcome({ ...zero, attestation: u2fBy(u2f, { alter: ({ x5c }) => ({ ...unsigned, x5c }) }) }),
    ).toBe(STATEMENT);
    const wide = issue({ by: root, subject: "/CN=U2F", aaguid: null, curve: "secp384r1" });
    expect(outcome({ ...zero, attestation: u2fBy(wide) })).toBe(CERTIFICATE);
    expect(outcome({ ...zero, attestation: u2fBy(u2f, { lead: 0x05 }) })).toBe(SIGNATURE);
    expect(outcome({ ...zero, attestation: u2fBy(u2f, { cutX: true }) })).toBe(SIGNATURE);
    expect(outcome({ attestation: u2fBy(u2f) })).toBe(STATEMENT);
    const rsa = outcome({
      ...zero,
      algorithm: ALGORITHM.RS256,
      attestation: (about) => {
        const { attStmt } = packedBy(u2f)(about);
        return { fmt: "fido-u2f", attStmt };
      },
    });
    expect(rsa).toBe(STATEMENT);
  });

  test("PK-26 another format is refused by name; with anchors, chains must end in one", () => {
    expect(outcome({ attestation: () => ({ fmt: "tpm", attStmt: {} }) })).toBe(
      "passkey-attestation-format-unknown",
    );
    const anchored = { anchors: [root.x509] };
    expect(outcome({ attestation: packedBy(device) }, anchored)).toBe("accepted");
    const middle = issue({ by: root, subject: "/CN=Middle", ca: true, aaguid: null });
    const below = issue({ by: middle });
    expect(outcome({ attestation: packedBy(below, { chain: [middle] }) }, anchored)).toBe("accepted");
    expect(outcome({ attestation: packedBy(below, { chain: [middle, root] }) }, anchored)).toBe("accepted");
    expect(outcome({ attestation: packedBy(below) }, anchored)).toBe(UNTRUSTED);
    expect(outcome({ attestation: packedBy(device) }, { anchors: [otherRoot.x509] })).toBe(UNTRUSTED);
    expect(
      outcome({ attestation: packedBy(device) }, { ...anchored, now: new Date(now.getTime() + YEAR) }),
    ).toBe(UNTRUSTED);
    expect(
      outcome({ attestation: packedBy(device) }, { ...anchored, now: new Date(now.getTime() - YEAR) }),
    ).toBe(UNTRUSTED);
    // A leaf that signs others is no authority.
    const forged = issue({ by: device });
    expect(outcome({ attestation: packedBy(forged, { chain: [device] }) }, anchored)).toBe(UNTRUSTED);
    expect(outcome({ attestation: attestItself }, anchored)).toBe(UNTRUSTED);
    expect(outcome({ attestation: attestNothing }, anchored)).toBe(UNTRUSTED);
    const u2f = issue({ by: root, subject: "/CN=U2F", aaguid: null });
    expect(outcome({ aaguid: new Uint8Array(16), attestation: u2fBy(u2f) }, anchored)).toBe("accepted");
  });

  test("a certificate of another authority with the same name does not vouch", () => {
    const twin = issue({ subject: "/CN=Brina Root", ca: true, aaguid: null });
    const byTwin = issue({ by: twin });
    expect(outcome({ attestation: packedBy(byTwin) }, { anchors: [root.x509] })).toBe(UNTRUSTED);
    expect(createHash("sha256").update(twin.der).digest()).not.toEqual(
      createHash("sha256").update(root.der).digest(),
    );
  });
});
