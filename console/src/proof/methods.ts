/** The proofs that pages ask for beside a first one, in the order in which they are offered: one component each. */
import type { Component } from "svelte";
import type { SecondProof } from "../lib/second-proof.ts";
import { texts } from "../texts/texts.ts";
import PasskeyForm from "./PasskeyForm.svelte";
import RecoveryCodeForm from "./RecoveryCodeForm.svelte";
import TotpForm from "./TotpForm.svelte";

/** What each component is given. */
export interface ProofFormProps {
  /** What a passkey is asked for. */
  purpose: "sign-in" | "reauthenticate";
  buttonText: string;
  send: (proof: SecondProof) => Promise<void>;
}

interface SecondProofMethod {
  readonly type: SecondProof["type"];
  /** What it asks for, in the row of proofs. */
  readonly word: () => string;
  /** On the button that leads to it from another one. */
  readonly instead: () => string;
  /** Said where the account cannot show it. */
  readonly whenMissing?: () => string;
  readonly Form: Component<ProofFormProps>;
}

export const SECOND_PROOFS: readonly SecondProofMethod[] = [
  {
    type: "passkey",
    word: () => texts.secondProofs.passkey,
    instead: () => texts.secondProofs.passkeyInstead,
    Form: PasskeyForm,
  },
  {
    type: "totp",
    word: () => texts.secondProofs.code,
    instead: () => texts.secondProofs.totpInstead,
    Form: TotpForm,
  },
  {
    type: "recovery-code",
    word: () => texts.secondProofs.code,
    instead: () => texts.secondProofs.recoveryCodeInstead,
    whenMissing: () => texts.secondProofs.noRecoveryCode,
    Form: RecoveryCodeForm,
  },
];
