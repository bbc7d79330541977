/**
 * What verifying a passkey's answer costs beside the bare signature check of node:crypto on the same bytes; both sides
 * read the stored key. The wall clock is not used: the processor's time of both is compared, in turns.
 *
 *     node bench/passkey-check.mjs
 */
import { createHash, createPublicKey, randomBytes, verify } from "node:crypto";
import {
  creationOptions,
  requestOptions,
  verifyAssertion,
  verifyRegistration,
} from "@lucchetto/core/passkey";
import { makePasskey, usePasskey } from "../demo/dist/authenticator/software-authenticator.js";
import { say } from "../scripts/say.mjs";

const ORIGIN = "https://brina.example";
const RP_ID = "brina.example";
const ROUNDS = 40;
const CHECKS = 100;

const microseconds = ({ user, system }) => user + system;

say("algorithm   bare check   verified   ratio");
for (const [name, algorithm] of [
  ["ES256", -7],
  ["EdDSA", -8],
  ["RS256", -257],
]) {
  const expected = {
    origins: [ORIGIN],
    topOrigins: [],
    rpId: RP_ID,
    requireUserVerification: true,
    algorithms: [algorithm],
    anchors: [],
    now: new Date(),
    refuseStillCounter: true,
  };
  const challenge = randomBytes(32);
  const user = { handle: randomBytes(32), name: "anna", displayName: "Anna" };
  const options = creationOptions({
    challenge,
    relyingParty: { id: RP_ID, name: "Brina Huts" },
    user,
    algorithms: [algorithm],
    excluded: [],
    attestation: "none",
    standsAlone: true,
  });
  const made = makePasskey(options, { origin: ORIGIN });
  const stored = verifyRegistration(made.credential, { ...expected, challenge });
  const asked = requestOptions({ challenge, rpId: RP_ID, allowed: [], standsAlone: true });
  const { credential } = usePasskey(made.passkey, asked, { origin: ORIGIN });
  const { response } = credential;
  const clientDataHash = createHash("sha256")
    .update(Buffer.from(response.clientDataJSON, "base64url"))
    .digest();
  const signed = Buffer.concat([Buffer.from(response.authenticatorData, "base64url"), clientDataHash]);
  const signature = Buffer.from(response.signature, "base64url");
  const der = Buffer.from(stored.publicKey);
  const digest = algorithm === -8 ? null : "sha256";
  const bare = () => {
    const key = createPublicKey({ key: der, format: "der", type: "spki" });
    if (!verify(digest, signed, key, signature)) throw new Error("not signed");
  };
  const whole = () => verifyAssertion(credential, stored, { ...expected, challenge });
  const spent = { bare: 0, whole: 0 };
  for (let round = -5; round < ROUNDS; round += 1)
    for (const [side, run] of [
      ["bare", bare],
      ["whole", whole],
    ]) {
      const before = process.cpuUsage();
      for (let check = 0; check < CHECKS; check += 1) run();
      if (round >= 0) spent[side] += microseconds(process.cpuUsage(before));
    }
  const each = (sum) => `${(sum / ROUNDS / CHECKS).toFixed(0)} µs`.padStart(10);
  say(
    `${name.padEnd(9)} ${each(spent.bare)} ${each(spent.whole)}   ${(spent.whole / spent.bare).toFixed(2)}`,
  );
}
