/** The password, shown again inside a session. A sign-in begins with it in `sign-in/sign-in.ts`, where nobody is known yet. */
import { fieldError } from "@lucchetto/contract";
import { isPresentPassword } from "../password/present.ts";
import { fieldProblem } from "../problem.ts";
import { reservePasswordTry } from "../throttle/throttle.ts";
import type { ShownProof } from "./method.ts";
import { proofMethod } from "./method.ts";

export const password = proofMethod<Extract<ShownProof, { type: "password" }>, string>({
  type: "password",
  part: "first",
  begins: "shown",
  // RFC 8176: password-based authentication.
  amr: ["pwd"],
  level: 1,
  read: (_context, _prover, shown) => shown.password,
  reserve: (context, { accountId, visit: { network }, mark }) =>
    reservePasswordTry(context, { accountId, name: null, network, mark }),
  async look(context, { accountId }, typed) {
    const isRight = accountId !== null && (await isPresentPassword(context, accountId, typed));
    return isRight ? { spend: () => Promise.resolve() } : { fault: "wrong-password" };
  },
  refuse() {
    throw fieldProblem([fieldError("proof.password", "password-wrong")]);
  },
});
