/** The mailed link, in the browser that asked for it: accepted only at the sign-in in which it was asked for. */
import { NO_GROUNDS } from "@lucchetto/core";
import { ProblemReply } from "../../base/problem.ts";
import { spendLink } from "../../records/mail-link/store.ts";
import { readLink } from "../mail-link/read.ts";
import type { ShownProof } from "./method.ts";
import { proofMethod } from "./method.ts";

/** RFC 8176 registers no value for this; ours says what it was. */
export const MAIL_AMR = ["mail"] as const;

export const mailLink = proofMethod<Extract<ShownProof, { type: "mail-link" }>, string>({
  type: "mail-link",
  part: "first",
  begins: "mail",
  amr: MAIL_AMR,
  level: 1,
  read: (_context, _prover, { secret }) => secret,
  async look(context, { pending }, secret) {
    const { link } = await readLink(context, secret);
    if (link.purpose !== "sign-in" || link.signInId !== pending?.id)
      return { fault: "link of another sign-in" };
    return {
      grounds: NO_GROUNDS,
      async spend(manager, { now }) {
        if (!(await spendLink(manager, link.id, now))) throw new ProblemReply("link-used");
      },
    };
  },
  refuse() {
    throw new ProblemReply("proof-refused");
  },
});
