import { describe, expect, test } from "@jest/globals";
import { faultOfReturnAddress, isCodeChallenge, verifierMatches } from "./index.ts";

describe("PKCE", () => {
  // RFC 7636 appendix B.
  const verifier = "dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk";
  const challenge = "E9Melhoa2OwvFrEMTJguCHaoeK1t8URWbuGJSstw-cM";

  test("OA-2 gives the published result", () => {
    expect(verifierMatches(verifier, challenge)).toBe(true);
  });

  test("OA-2 another verifier, one of 42 or 129 characters, or with other signs, does not match", () => {
    for (const other of [
      verifier.replace("d", "e"),
      verifier.slice(1),
      "a".repeat(129),
      `${verifier} `,
      "",
    ]) {
      expect(verifierMatches(other, challenge)).toBe(false);
    }
    expect(isCodeChallenge(challenge)).toBe(true);
    expect(isCodeChallenge(`${challenge}=`)).toBe(false);
  });
});

describe("return addresses", () => {
  test.each([
    "https://app.example/signed-in",
    "http://localhost:8421/signed-in",
    "http://127.0.0.1/x",
    "https://app.example/a?b=c",
  ])("%s may be registered", (address) => {
    expect(faultOfReturnAddress(address)).toBeNull();
  });

  test.each([
    "http://app.example/signed-in",
    "https://app.example/#x",
    "javascript:alert(1)",
    "//app.example/",
    "/signed-in",
    "https://user:pw@app.example/",
    "https://APP.example/",
    "https://app.example",
    "ftp://app.example/",
    "https://*.example/cb",
    "",
  ])("%j may not", (address) => {
    expect(faultOfReturnAddress(address)).not.toBeNull();
  });
});
