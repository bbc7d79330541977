/** Asks the application about an account, and keeps its refusal in the journal. */
import type { ConsultQuestion } from "@lucchetto/contract";
import { ProblemReply } from "../../base/problem.ts";
import { inTransaction } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import type { Actor } from "../../records/granting/actor.ts";
import { record } from "../../records/journal/journal.ts";
import type { FilledIn } from "../../records/webhook/consult.ts";

type Facts = ConsultQuestion["account"];

/** What is asked; of the account only what the application may know. */
interface AccountQuestion {
  readonly type: ConsultQuestion["type"];
  readonly by: ConsultQuestion["by"];
  readonly account: Omit<Facts, "id" | "emailVerified"> & {
    readonly id?: string | null;
    readonly emailVerifiedAt?: Date | null;
    readonly emailVerified?: boolean;
  };
  readonly change?: ConsultQuestion["change"];
}

/** @returns what the application filled in. @throws ProblemReply `refused-by-application`, `application-unresponsive`, `too-busy`. */
export async function consultOrRecord(
  context: ServiceContext,
  { type, by, account, change }: AccountQuestion,
  visit: RequestOrigin,
): Promise<FilledIn> {
  const { consult, dataSource, clock } = context;
  const { id = null, reference, email, username, displayName, labels } = account;
  const emailVerified = account.emailVerified ?? (account.emailVerifiedAt ?? null) !== null;
  try {
    return await consult(
      {
        type,
        by,
        account: { id, reference, email, emailVerified, username, displayName, labels },
        ...(change === undefined ? {} : { change }),
      },
      { network: visit.network, account: id ?? email ?? username, isKnown: by === "operator" },
    );
  } catch (error) {
    if (!(error instanceof ProblemReply)) throw error;
    const kind = type === "account.create" ? "account.registration-refused" : "account.change-refused";
    const event = { kind, outcome: "refused", reason: error.code, accountId: id } as const;
    await inTransaction(dataSource, (manager) =>
      record(context, manager, { event, visit, now: clock.now() }),
    );
    throw error;
  }
}

/** As `consultOrRecord`, about what is done with somebody else's account; of what an app's own server does nobody is asked. */
export async function consultAbout(
  context: ServiceContext,
  actor: Actor,
  question: Omit<AccountQuestion, "by">,
  visit: RequestOrigin,
): Promise<FilledIn> {
  return "operator" in actor ? consultOrRecord(context, { ...question, by: "operator" }, visit) : {};
}
