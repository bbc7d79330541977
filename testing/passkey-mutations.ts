/** Random changes of what an authenticator signed: none is accepted, and each is refused by a name. */
import { randomBytes } from "node:crypto";
import {
  creationOptions,
  PasskeyFault,
  requestOptions,
  verifyAssertion,
  verifyRegistration,
} from "@lucchetto/core/passkey";
import fc from "fast-check";
import {
  ALGORITHM,
  attestItself,
  makePasskey,
  usePasskey,
} from "../demo/src/authenticator/software-authenticator.ts";

const ORIGIN = "https://brina.example";
const RP_ID = "brina.example";

function given(runs: number) {
  const challenge = randomBytes(32);
  const expected = {
    challenge,
    origins: [ORIGIN],
    topOrigins: [],
    rpId: RP_ID,
    requireUserVerification: true,
    algorithms: [ALGORITHM.ES256],
    anchors: [],
    now: new Date(),
    refuseStillCounter: true,
  };
  const options = creationOptions({
    challenge,
    relyingParty: { id: RP_ID, name: "Brina Huts" },
    user: { handle: randomBytes(32), name: "anna", displayName: "Anna" },
    algorithms: [ALGORITHM.ES256],
    excluded: [],
    attestation: "none",
    standsAlone: true,
  });
  const made = makePasskey(options, { origin: ORIGIN, attestation: attestItself });
  return { challenge, expected, made, runs: { numRuns: runs } };
}

/** Of a `packed` registration signed by the passkey's own key. @throws what fast-check found. */
export function alterRegistrations(runs: number): void {
  const { made, expected, runs: parameters } = given(runs);
  fc.assert(
    fc.property(changes("clientDataJSON", "attestationObject"), (change) => {
      const other = altered(made.credential, change);
      return other === null || isRefused(() => verifyRegistration(other, expected));
    }),
    parameters,
  );
}

/** Of a sign-in. */
export function alterAssertions(runs: number): void {
  const { made, challenge, expected, runs: parameters } = given(runs);
  const stored = verifyRegistration(made.credential, expected);
  const options = requestOptions({ challenge, rpId: RP_ID, allowed: [], standsAlone: true });
  const { credential } = usePasskey(made.passkey, options, { origin: ORIGIN });
  fc.assert(
    fc.property(changes("clientDataJSON", "authenticatorData", "signature"), (change) => {
      const other = altered(credential, change);
      return other === null || isRefused(() => verifyAssertion(other, stored, expected));
    }),
    parameters,
  );
}

/** Whatever comes in the place of an attestation object. */
export function inventAttestations(runs: number): void {
  const { made, expected, runs: parameters } = given(runs);
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 300 }), (bytes) => {
      const attestationObject = Buffer.from(bytes).toString("base64url");
      const other = { ...made.credential, response: { ...made.credential.response, attestationObject } };
      return isRefused(() => verifyRegistration(other, expected));
    }),
    parameters,
  );
}

/** Anything but a fault with a name is thrown on. */
function isRefused(attempt: () => unknown): boolean {
  try {
    attempt();
    return false;
  } catch (error) {
    if (error instanceof PasskeyFault) return true;
    throw error;
  }
}

function changes(...members: string[]) {
  return fc.record({
    member: fc.constantFrom(...members),
    changes: fc.array(mutation as fc.Arbitrary<[string, number, number]>, { minLength: 1, maxLength: 3 }),
  });
}

/** Bit flips, cuts, doubled and swapped pieces. */
const mutation = fc.oneof(
  fc.tuple(fc.constant("flip" as const), fc.nat(), fc.integer({ min: 1, max: 255 })),
  fc.tuple(fc.constant("cut" as const), fc.nat(), fc.integer({ min: 1, max: 40 })),
  fc.tuple(fc.constant("insert" as const), fc.nat(), fc.nat(255)),
  fc.tuple(fc.constant("swap" as const), fc.nat(), fc.nat()),
);

function mutate(bytes: Buffer, [kind, position, value]: [string, number, number]): Buffer {
  const at = position % bytes.length;
  const copy = Buffer.from(bytes);
  if (kind === "flip") copy[at] = (copy[at] ?? 0) ^ value;
  if (kind === "cut") return Buffer.concat([copy.subarray(0, at), copy.subarray(at + value)]);
  if (kind === "insert") return Buffer.concat([copy.subarray(0, at), Buffer.of(value), copy.subarray(at)]);
  if (kind === "swap")
    [copy[at], copy[value % bytes.length]] = [copy[value % bytes.length] ?? 0, copy[at] ?? 0];
  return copy;
}

function altered<Credential extends { response: object }>(
  credential: Credential,
  { member, changes }: { member: string; changes: ReadonlyArray<[string, number, number]> },
): Credential | null {
  const text = (credential.response as Record<string, unknown>)[member] as string;
  const bytes: Buffer = Buffer.from(text, "base64url");
  let other = bytes;
  for (const change of changes) if (other.length > 0) other = mutate(other, change);
  if (other.equals(bytes)) return null;
  return { ...credential, response: { ...credential.response, [member]: other.toString("base64url") } };
}
