/** A second factor as it is shown. */
export interface SecondProof {
  readonly type: "totp" | "recovery-code";
  readonly code: string;
}
