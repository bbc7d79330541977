/** A hundred thousand hostile answers of each kind. */
import { test } from "@jest/globals";
import { alterAssertions, alterRegistrations, inventAttestations } from "../../testing/passkey-mutations.ts";

const RUNS = 100_000;

test("PK-43 no mutation of a signed registration is accepted, and each is refused by name", () =>
  alterRegistrations(RUNS));

test("PK-43 no mutation of an assertion is accepted, and each is refused by name", () =>
  alterAssertions(RUNS));

test("PK-43 whatever comes as an attestation object is refused by name", () => inventAttestations(RUNS));
