/** The password, shown again inside a session. A sign-in begins with it in `sign-in/sign-in.ts`, where nobody is known yet. */
import { fieldError } from "@lucchetto/contract";
import { fieldProblem } from "../../base/problem.ts";
import { findIfRight } from "../../people/password/present.ts";
import { groundsOfPassword } from "../../people/recovery/grounds.ts";
import { reservePasswordTry } from "../../records/throttle/throttle.ts";
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
  async look(context, { accountId }, typed, { asker }) {
    const right = accountId === null ? null : await findIfRight(context, accountId, { typed, asker });
    if (right === null) return { fault: "wrong-password" };
    return { grounds: groundsOfPassword(right), spend: () => Promise.resolve() };
  },
  refuse() {
    throw fieldProblem([fieldError("proof.password", "password-wrong")]);
  },
});
