/** Both ceremonies: a valid answer, and then one thing altered, signed again where the key is at hand. */
import { randomBytes } from "node:crypto";
import { describe, expect, test } from "@jest/globals";
import { encode } from "cborg";
import type { Behaviour } from "../../../demo/src/authenticator/software-authenticator.ts";
import {
  ALGORITHM,
  attestItself,
  FLAG,
  makePasskey,
  usePasskey,
} from "../../../demo/src/authenticator/software-authenticator.ts";
import type {
  ExpectedAssertion,
  ExpectedRegistration,
  PasskeyFaultCode,
  RegisteredCredential,
} from "./index.ts";
import {
  creationOptions,
  PasskeyFault,
  requestOptions,
  verifyAssertion,
  verifyRegistration,
} from "./index.ts";

const ORIGIN = "https://accounts.brina.example";
const RP_ID = "brina.example";
const OFFERED = [ALGORITHM.EdDSA, ALGORITHM.ES256, ALGORITHM.RS256] as const;
const USER = randomBytes(32);

const usual: Behaviour = { origin: ORIGIN, attestation: attestItself, algorithm: ALGORITHM.ES256 };

function expectation(challenge: Uint8Array): ExpectedRegistration & ExpectedAssertion {
  return {
    challenge,
    origins: [ORIGIN, "https://huts.brina.example"],
    topOrigins: [],
    rpId: RP_ID,
    requireUserVerification: true,
    algorithms: OFFERED,
    anchors: [],
    now: new Date("2026-11-29"),
    refuseStillCounter: true,
  };
}

/** A registration begun, answered and verified. */
function register(behaviour: Partial<Behaviour> = {}, expected: Partial<ExpectedRegistration> = {}) {
  const challenge = randomBytes(32);
  const options = creationOptions({
    challenge,
    relyingParty: { id: RP_ID, name: "Brina Huts" },
    user: { handle: USER, name: "anna@brina.example", displayName: "Anna" },
    algorithms: OFFERED,
    excluded: [],
    attestation: "none",
    standsAlone: true,
  });
  const made = makePasskey(options, { ...usual, ...behaviour });
  const verified = () => verifyRegistration(made.credential, { ...expectation(challenge), ...expected });
  return { ...made, challenge, verified };
}

const enrolled = register();
const stored = enrolled.verified();

/** A sign-in begun, answered and verified. */
function signIn(
  behaviour: Partial<Behaviour> = {},
  {
    expected = {},
    record = {},
  }: { expected?: Partial<ExpectedAssertion>; record?: Partial<RegisteredCredential> } = {},
) {
  const challenge = randomBytes(32);
  const options = requestOptions({ challenge, rpId: RP_ID, allowed: [], standsAlone: true });
  const { credential } = usePasskey(enrolled.passkey, options, { origin: ORIGIN, ...behaviour });
  const verified = () =>
    verifyAssertion(credential, { ...stored, ...record }, { ...expectation(challenge), ...expected });
  return { credential, challenge, verified };
}

/** The slug with which something is refused. */
function faultOf(attempt: () => unknown): PasskeyFaultCode | "accepted" {
  try {
    attempt();
    return "accepted";
  } catch (error) {
    if (error instanceof PasskeyFault) return error.code;
    throw error;
  }
}

/** The same alteration in both ceremonies. */
const both = (
  behaviour: Partial<Behaviour>,
  expected: Partial<ExpectedRegistration & ExpectedAssertion> = {},
) => [faultOf(register(behaviour, expected).verified), faultOf(signIn(behaviour, { expected }).verified)];
const refused = (code: PasskeyFaultCode) => [code, code];
const ACCEPTED = ["accepted", "accepted"];

const clientData = (change: (data: Record<string, unknown>) => unknown) => ({
  alter: { clientData: change },
});
const flags = (change: (flags: number) => number) => ({ alter: { flags: change } });

describe("both ceremonies", () => {
  test("PK-4 the envelope is well formed", () => {
    const { credential, challenge } = register();
    const shown = (change: object) =>
      faultOf(() => verifyRegistration({ ...credential, ...change }, expectation(challenge)));
    expect(shown({})).toBe("accepted");
    expect(shown({ type: "password" })).toBe("passkey-malformed");
    expect(shown({ rawId: randomBytes(32).toString("base64url") })).toBe("passkey-malformed");
    const other = randomBytes(32).toString("base64url");
    expect(shown({ id: other, rawId: other })).toBe("passkey-malformed");
    const { id } = credential;
    for (const text of [`${id}=`, `+${id.slice(1)}`, `/${id.slice(1)}`, `${id}A`.replace(/.A$/, "B")])
      expect([text, shown({ id: text, rawId: text })]).toEqual([text, "passkey-malformed"]);
    const response = (change: object) => shown({ response: { ...credential.response, ...change } });
    expect(response({ clientDataJSON: `${credential.response.clientDataJSON}=` })).toBe("passkey-malformed");
    expect(response({ attestationObject: "@@" })).toBe("passkey-malformed");
    expect(response({ transports: ["internal", "carrier-pigeon", "No such!", ""] })).toBe("accepted");
  });

  test("PK-4 client data is a JSON object in UTF-8, each member once", () => {
    const bytes = (change: (bytes: Buffer) => Buffer) => ({ alter: { clientDataBytes: change } });
    expect(both(bytes((data) => data.subarray(0, -1)))).toEqual(refused("passkey-malformed"));
    expect(both(bytes((data) => Buffer.concat([data, Buffer.of(0xff)])))).toEqual(
      refused("passkey-malformed"),
    );
    expect(both(bytes((data) => Buffer.from(`[${data.toString()}]`)))).toEqual(refused("passkey-malformed"));
    expect(both(bytes(() => Buffer.from("null")))).toEqual(refused("passkey-malformed"));
    const doubled = (data: Buffer) => Buffer.from(data.toString().replace("{", '{"challenge":"AAAA",'));
    expect(both(bytes(doubled))).toEqual(refused("passkey-malformed"));
    const escaped = (data: Buffer) => Buffer.from(data.toString().replace("{", '{"ch\\u0061llenge":"AAAA",'));
    expect(both(bytes(escaped))).toEqual(refused("passkey-malformed"));
    expect(both(bytes((data) => Buffer.concat([data, Buffer.alloc(9_000, " ")])))).toEqual(
      refused("passkey-malformed"),
    );
    expect(both(clientData((data) => ({ ...data, extra: { challenge: 1 }, other: "a:{" })))).toEqual(
      ACCEPTED,
    );
    expect(both(clientData(({ challenge, ...data }) => ({ ...data, challenge })))).toEqual(ACCEPTED);
  });

  test("PK-4 client data is hashed exactly as received", () => {
    const { credential, challenge } = signIn();
    const bytes = Buffer.from(credential.response.clientDataJSON, "base64url").toString();
    const spaced = Buffer.from(bytes.replace("{", "{ ")).toString("base64url");
    const later = { ...credential, response: { ...credential.response, clientDataJSON: spaced } };
    expect(faultOf(() => verifyAssertion(later, stored, expectation(challenge)))).toBe(
      "passkey-signature-wrong",
    );
  });

  test("PK-5 the type is the ceremony's own", () => {
    for (const type of ["webauthn.get", "WebAuthn.Create", "", undefined])
      expect(faultOf(register(clientData((data) => ({ ...data, type }))).verified)).toBe(
        "passkey-ceremony-mismatch",
      );
    for (const type of ["webauthn.create", "webauthn.Get", undefined])
      expect(faultOf(signIn(clientData((data) => ({ ...data, type }))).verified)).toBe(
        "passkey-ceremony-mismatch",
      );
  });

  test("PK-6 the challenge is the one that was issued", () => {
    const flipped = (text: unknown) => {
      const bytes = Buffer.from(String(text), "base64url");
      bytes[0] = (bytes[0] ?? 0) ^ 1;
      return bytes.toString("base64url");
    };
    expect(both(clientData((data) => ({ ...data, challenge: flipped(data["challenge"]) })))).toEqual(
      refused("passkey-challenge-mismatch"),
    );
    const shorter = (text: unknown) =>
      Buffer.from(String(text), "base64url").subarray(1).toString("base64url");
    for (const challenge of [shorter, () => "", () => randomBytes(32).toString("base64url")])
      expect(both(clientData((data) => ({ ...data, challenge: challenge(data["challenge"]) })))).toEqual(
        refused("passkey-challenge-mismatch"),
      );
    for (const challenge of [undefined, 7, "AAAA="])
      expect(both(clientData((data) => ({ ...data, challenge })))).toEqual(refused("passkey-malformed"));
  });

  test("PK-7 the origin is one of the configured ones, compared whole", () => {
    for (const origin of [
      "http://accounts.brina.example",
      "https://accounts.brina.example:444",
      "https://evil.accounts.brina.example",
      "https://accounts.brina.example.evil.test",
      "https://accounts.brina.example/",
      "https://brina.example",
      "null",
      "",
    ])
      expect([origin, ...both({ origin: ORIGIN, ...clientData((data) => ({ ...data, origin })) })]).toEqual([
        origin,
        ...refused("passkey-origin-mismatch"),
      ]);
    expect(both({ origin: "https://huts.brina.example" })).toEqual(ACCEPTED);
    expect(both(clientData((data) => ({ ...data, origin: undefined })))).toEqual(
      refused("passkey-malformed"),
    );
  });

  test("PK-8 frames of other origins are refused unless configured", () => {
    const topOrigin = "https://portal.brina.example";
    const framed = (change: object) => clientData((data) => ({ ...data, ...change }));
    for (const change of [{ crossOrigin: true }, { crossOrigin: "false" }, { topOrigin }, { crossOrigin: 1 }])
      expect(both(framed(change))).toEqual(refused("passkey-framed"));
    expect(both(framed({ crossOrigin: undefined }))).toEqual(ACCEPTED);
    const configured = { topOrigins: [topOrigin] };
    expect(both(framed({ crossOrigin: true, topOrigin }), configured)).toEqual(ACCEPTED);
    expect(both(framed({ crossOrigin: true, topOrigin: ORIGIN }), configured)).toEqual(
      refused("passkey-framed"),
    );
    expect(both(framed({ crossOrigin: true }), configured)).toEqual(refused("passkey-framed"));
    expect(both(framed({ topOrigin }), configured)).toEqual(refused("passkey-framed"));
  });

  test("PK-9 authenticator data has its exact layout", () => {
    const data = (change: (bytes: Buffer) => Buffer) => ({ alter: { authenticatorData: change } });
    expect(both(data((bytes) => bytes.subarray(0, 36)))).toEqual(refused("passkey-data-malformed"));
    expect(both(data((bytes) => Buffer.concat([bytes, Buffer.of(0)])))).toEqual(
      refused("passkey-data-malformed"),
    );
    expect(faultOf(signIn(flags((now) => now | FLAG.AT)).verified)).toBe("passkey-credential-data-malformed");
    expect(both(flags((now) => now | FLAG.ED))).toEqual(refused("passkey-extensions-malformed"));
    expect(faultOf(register(flags((now) => now & ~FLAG.AT)).verified)).toBe("passkey-data-malformed");
    const extended = (extensions: unknown) => ({
      alter: {
        flags: (now: number) => now | FLAG.ED,
        authenticatorData: (bytes: Buffer) => Buffer.concat([bytes, encode(extensions)]),
      },
    });
    expect(both(extended({ credProtect: 2 }))).toEqual(ACCEPTED);
    expect(
      faultOf(
        signIn({
          alter: {
            flags: (now) => now | FLAG.AT,
            authenticatorData: (bytes) =>
              Buffer.concat([bytes, Buffer.alloc(16), Buffer.of(0, 1, 7), encode({})]),
          },
        }).verified,
      ),
    ).toBe("passkey-data-malformed");
  });

  test("PK-10 it was made for this relying party", () => {
    const hashed = (change: (hash: Buffer) => Buffer) => ({ alter: { rpIdHash: change } });
    expect(
      both(hashed((hash) => Buffer.from(hash.map((byte, at) => (at === 31 ? byte ^ 1 : byte))))),
    ).toEqual(refused("passkey-relying-party-mismatch"));
    for (const rpId of ["accounts.brina.example", ORIGIN, "brina.example."])
      expect(both({}, { rpId })).toEqual(refused("passkey-relying-party-mismatch"));
  });

  test("PK-11 PK-12 somebody was there, and was verified where that is wanted", () => {
    expect(both(flags((now) => now & ~FLAG.UP))).toEqual(refused("passkey-person-absent"));
    expect(both({ userVerified: false })).toEqual(refused("passkey-person-unverified"));
    expect(both({ userVerified: false }, { requireUserVerification: false })).toEqual(ACCEPTED);
    expect(
      signIn({ userVerified: false }, { expected: { requireUserVerification: false } }).verified(),
    ).toMatchObject({
      userVerified: false,
    });
  });

  test("PK-13 what cannot be backed up is not backed up", () => {
    const state = (bits: number) => flags((now) => (now & ~(FLAG.BE | FLAG.BS)) | bits);
    expect(both(state(FLAG.BS))).toEqual(refused("passkey-backup-state-wrong"));
    for (const [bits, backupEligible, backedUp] of [
      [0, false, false],
      [FLAG.BE, true, false],
      [FLAG.BE | FLAG.BS, true, true],
    ] as const) {
      expect(register(state(bits)).verified()).toMatchObject({ backupEligible, backedUp });
      expect(signIn(state(bits), { record: { backupEligible } }).verified()).toMatchObject({ backedUp });
    }
  });

  test("PK-14 extension outputs that nobody asked for are ignored, broken ones refused", () => {
    const { credential, challenge } = signIn();
    const more = { ...credential, clientExtensionResults: { appid: true, unknown: { deep: [1] } } };
    expect(faultOf(() => verifyAssertion(more, stored, expectation(challenge)))).toBe("accepted");
    const extended = (bytes: Uint8Array) => ({
      alter: {
        flags: (now: number) => now | FLAG.ED,
        authenticatorData: (data: Buffer) => Buffer.concat([data, bytes]),
      },
    });
    for (const broken of [
      encode([1]),
      encode("text"),
      encode({ credProtect: 2 }).subarray(0, -1),
      Buffer.of(0xbf),
    ])
      expect(both(extended(broken))).toEqual(refused("passkey-extensions-malformed"));
    expect(both(extended(Buffer.concat([encode({}), Buffer.of(0)])))).toEqual(
      refused("passkey-data-malformed"),
    );
  });
});

describe("registration", () => {
  test("PK-15 the options name nobody, and offer what is configured", () => {
    const handle = randomBytes(32);
    const options = creationOptions({
      challenge: randomBytes(32),
      relyingParty: { id: RP_ID, name: "Brina Huts" },
      user: { handle, name: "anna@brina.example", displayName: "Anna" },
      algorithms: OFFERED,
      excluded: [{ credentialId: Uint8Array.of(1, 2, 3), transports: ["usb"] }],
      attestation: "none",
      standsAlone: true,
    });
    expect(options.user.id).toBe(handle.toString("base64url"));
    expect(options.pubKeyCredParams.map(({ alg }) => alg)).toEqual([-8, -7, -257]);
    expect(options.excludeCredentials).toEqual([{ type: "public-key", id: "AQID", transports: ["usb"] }]);
    expect(options.authenticatorSelection).toMatchObject({
      residentKey: "required",
      userVerification: "required",
    });
  });

  test("PK-16 the attestation object is a map of fmt, attStmt and authData", () => {
    const object = (change: (object: Record<string, unknown>) => unknown) =>
      faultOf(register({ alter: { attestationObject: change } }).verified);
    for (const name of ["fmt", "attStmt", "authData"]) {
      expect(object(({ [name]: _gone, ...rest }) => rest)).toBe("passkey-attestation-malformed");
      for (const other of [7, [1], null])
        expect(object((all) => ({ ...all, [name]: other }))).toBe("passkey-attestation-malformed");
    }
    expect(object((all) => Object.values(all))).toBe("passkey-attestation-malformed");
    expect(object((all) => "text" + Object.keys(all).length)).toBe("passkey-attestation-malformed");
    expect(
      object(
        ({ fmt, attStmt, authData }) =>
          new Map([
            ["authData", authData],
            ["attStmt", attStmt],
            ["fmt", fmt],
          ]),
      ),
    ).toBe("accepted");
  });

  test("PK-17 PK-19 attested credential data is present and whole, its id of 1 to 1,023 bytes", () => {
    const cut = (length: number) =>
      faultOf(register({ alter: { authenticatorData: (bytes) => bytes.subarray(0, length) } }).verified);
    for (const length of [37, 45, 54, 60, 87, 100, 150])
      expect(cut(length)).toBe("passkey-credential-data-malformed");
    const length = (announced: number) =>
      faultOf(
        register({
          alter: {
            authenticatorData: (bytes) => {
              bytes.writeUInt16BE(announced, 53);
              return bytes;
            },
          },
        }).verified,
      );
    expect(length(900)).toBe("passkey-credential-data-malformed");
    for (const [bytes, code] of [
      [0, "passkey-id-length-wrong"],
      [1, "accepted"],
      [1_023, "accepted"],
      [1_024, "passkey-id-length-wrong"],
    ] as const)
      expect([bytes, faultOf(register({ credentialId: randomBytes(bytes) }).verified)]).toEqual([
        bytes,
        code,
      ]);
    const clear = {
      flags: (now: number) => now & ~FLAG.AT,
      authenticatorData: (bytes: Buffer) => bytes.subarray(0, 37),
    };
    expect(faultOf(register({ alter: clear }).verified)).toBe("passkey-credential-data-malformed");
  });

  test("PK-18 the key's algorithm is one that was offered", () => {
    for (const algorithm of OFFERED) expect(register({ algorithm }).verified()).toMatchObject({ algorithm });
    expect(
      faultOf(register({ algorithm: ALGORITHM.EdDSA }, { algorithms: [ALGORITHM.ES256] }).verified),
    ).toBe("passkey-algorithm-not-offered");
    expect(faultOf(register({ algorithm: ALGORITHM.ES384 }).verified)).toBe("passkey-algorithm-not-offered");
    expect(
      register({ algorithm: ALGORITHM.ES384 }, { algorithms: [ALGORITHM.ES384] }).verified(),
    ).toBeDefined();
    expect(
      register({ algorithm: ALGORITHM.ES512 }, { algorithms: [ALGORITHM.ES512] }).verified(),
    ).toBeDefined();
    const rs1 = { alter: { key: (key: Map<number, unknown>) => new Map([...key, [3, -65535]]) } };
    expect(faultOf(register({ algorithm: ALGORITHM.RS256, ...rs1 }).verified)).toBe(
      "passkey-algorithm-not-offered",
    );
  });

  test("PK-27 the record holds what the answer said", () => {
    const aaguid = randomBytes(16);
    const credentialId = randomBytes(48);
    const made = register({
      aaguid,
      credentialId,
      signCount: 7,
      transports: ["usb", "nfc"],
      isSynced: false,
    });
    expect(made.verified()).toMatchObject({
      credentialId,
      algorithm: -7,
      signCount: 7,
      userVerified: true,
      backupEligible: false,
      backedUp: false,
      aaguid,
      transports: ["usb", "nfc"],
      attestation: "packed",
    });
  });
});

describe("sign-in", () => {
  test("PK-39 backup eligibility is as it was", () => {
    expect(faultOf(signIn({}, { record: { backupEligible: false } }).verified)).toBe(
      "passkey-eligibility-changed",
    );
    expect(faultOf(signIn({ isSynced: false }).verified)).toBe("passkey-eligibility-changed");
  });

  test.each(Object.entries({ EdDSA: -8, ES256: -7, RS256: -257 }))(
    "PK-40 the signature by the stored %s key covers authenticator data and client data",
    (_name, algorithm) => {
      const made = register({ algorithm });
      const record = made.verified();
      const other = register({ algorithm }).verified();
      const challenge = randomBytes(32);
      const options = requestOptions({ challenge, rpId: RP_ID, allowed: [], standsAlone: true });
      const signed = (alter: Behaviour["alter"] = {}) =>
        usePasskey(made.passkey, options, { origin: ORIGIN, alter }).credential;
      const check = (credential: ReturnType<typeof signed>, by = record) =>
        faultOf(() => verifyAssertion(credential, by, expectation(challenge)));
      expect(check(signed())).toBe("accepted");
      expect(check(signed(), other)).toBe("passkey-signature-wrong");
      const flip = (bytes: Buffer, at: number) => {
        bytes[at] = (bytes[at] ?? 0) ^ 1;
        return bytes;
      };
      for (const at of [0, 5, 40, -1])
        expect(check(signed({ signature: (bytes) => flip(bytes, at < 0 ? bytes.length - 1 : at) }))).toBe(
          "passkey-signature-wrong",
        );
      const right = signed();
      const counted = flip(Buffer.from(right.response.authenticatorData, "base64url"), 36).toString(
        "base64url",
      );
      expect(check({ ...right, response: { ...right.response, authenticatorData: counted } })).toBe(
        "passkey-signature-wrong",
      );
      expect(check(signed({ signature: () => Buffer.alloc(0) }))).toBe("passkey-signature-wrong");
    },
  );

  test("PK-40 an ECDSA signature is exactly DER", () => {
    const raw = (der: Buffer) => {
      const part = (at: number) => {
        const length = der[at + 1] ?? 0;
        return Buffer.concat([Buffer.alloc(32), der.subarray(at + 2, at + 2 + length)]).subarray(-32);
      };
      return Buffer.concat([part(2), part(4 + (der[3] ?? 0))]);
    };
    const zero = Buffer.from("3006020100020100", "hex");
    for (const signature of [raw, (der: Buffer) => Buffer.concat([der, Buffer.of(0)]), () => zero])
      expect(faultOf(signIn({ alter: { signature } }).verified)).toBe("passkey-signature-wrong");
  });

  test("PK-41 a counter that does not grow is refused, or noted where the policy says so", () => {
    const at = (signCount: number, was: number, expected: Partial<ExpectedAssertion> = {}) =>
      faultOf(signIn({ signCount }, { record: { signCount: was }, expected }).verified);
    expect(at(6, 5)).toBe("accepted");
    for (const behind of [5, 4, 0]) expect(at(behind, 5)).toBe("passkey-counter-behind");
    expect(at(0, 0)).toBe("accepted");
    expect(at(2 ** 32 - 1, 5)).toBe("accepted");
    expect(at(4, 5, { refuseStillCounter: false })).toBe("accepted");
    const noted = signIn(
      { signCount: 4 },
      { record: { signCount: 5 }, expected: { refuseStillCounter: false } },
    );
    expect(noted.verified()).toMatchObject({ isCounterStill: true, signCount: 4 });
  });
});
