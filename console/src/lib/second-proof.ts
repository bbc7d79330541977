import type { PasskeyProof } from "./passkeys.ts";

/** A second factor as it is shown. */
export type SecondProof = { readonly type: "totp" | "recovery-code"; readonly code: string } | PasskeyProof;
