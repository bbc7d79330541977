import type { CodeProofName } from "@lucchetto/contract/pages";
import type { PasskeyProof } from "./passkeys.ts";

/** A second factor as it is shown. */
export type SecondProof = { readonly type: CodeProofName; readonly code: string } | PasskeyProof;
