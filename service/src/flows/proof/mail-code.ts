/** The short code that a mailed link was exchanged for in another browser. The link is spent already. */
import { hashMailCode, isMailCode, NO_GROUNDS, readMailCode } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import { MAIL_AMR } from "./mail-link.ts";
import type { ShownProof } from "./method.ts";
import { proofMethod } from "./method.ts";

export const mailCode = proofMethod<Extract<ShownProof, { type: "mail-code" }>, string | null>({
  type: "mail-code",
  part: "first",
  begins: "mail",
  amr: MAIL_AMR,
  level: 1,
  read: (_context, _prover, { code }) => readMailCode(code),
  async look({ configuration, mailCodeKey }, { pending }, code) {
    // Beside a password it is wanted by the service itself.
    const mayCome = configuration.signIn.mailLink !== "off" || (pending?.amr.length ?? 0) > 0;
    if (pending === null || code === null || !mayCome) return { fault: "wrong code" };
    const shown = hashMailCode(mailCodeKey, { signInId: pending.id, code });
    return isMailCode(pending.mailCodeHash, shown)
      ? { grounds: NO_GROUNDS, spend: () => Promise.resolve() }
      : { fault: "wrong code" };
  },
  refuse() {
    throw new ProblemReply("proof-refused");
  },
});
