/** Intakes as operators see and correct them. */
import type { CallOf, ReplyOf, routes } from "@lucchetto/contract";
import { fieldError } from "@lucchetto/contract";
import type { Recipe } from "@lucchetto/core";
import { preparePassword, readIdentifier, readRecipe, RecipeError } from "@lucchetto/core";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import { checkable, readStored } from "../../people/password/stored.ts";
import { findByIdentifier } from "../../records/account/store.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { changeAsOperator } from "../../records/granting/actor.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { findImported } from "../../records/password/imported-store.ts";
import { findRecord } from "../../records/password/store.ts";
import type { LiveSession } from "../../records/session/store.ts";
import { reservePasswordTry } from "../../records/throttle/throttle.ts";
import { reportAll } from "./report.ts";
import { findIntake, findRecipe, listRefusals, rewriteRecipe } from "./store.ts";

type Intakes = ReplyOf<typeof routes.listIntakes>["body"];
type Refusals = ReplyOf<typeof routes.listIntakeRefusals>["body"];
type Correction = CallOf<typeof routes.correctRecipe>;
type Corrected = ReplyOf<typeof routes.correctRecipe>["body"];

export async function showIntakes({ dataSource }: ServiceContext): Promise<Intakes> {
  return { items: await reportAll(dataSource), next: null };
}

/** @throws ProblemReply `not-found`. */
export async function showRefusals(
  { dataSource }: ServiceContext,
  id: string,
  { cursor = "0", limit }: { cursor?: string | undefined; limit: number },
): Promise<Refusals> {
  if ((await findIntake(dataSource, id)) === null) throw new ProblemReply("not-found");
  const rows = await listRefusals(dataSource, id, { after: cursor, take: limit + 1 });
  const items = rows
    .slice(0, limit)
    .map(({ line, member, reason, values }) => ({ line: Number(line), member, reason, values }));
  return { items, next: rows.length > limit ? String(items.at(-1)?.line) : null };
}

/**
 * Corrects a recipe, if with the new one a known password fits what came along for its account. Digests stay as they are: what was
 * wrapped is what the old system had stored.
 * @throws ProblemReply `not-found`, `invalid-fields`, `throttled`, `too-busy`.
 */
export async function correctRecipe(
  context: ServiceContext,
  operator: LiveSession,
  { params, body }: Pick<Correction, "params" | "body">,
  { visit, mark }: { visit: RequestOrigin; mark: string | undefined },
): Promise<Corrected> {
  const { dataSource } = context;
  const intake = await findIntake(dataSource, params.id);
  const recipe = await findRecipe(dataSource, { id: params.recipe, intakeId: params.id });
  if (intake === null || recipe === null) throw new ProblemReply("not-found");
  const { text } = readOrRefuse(body.text);
  await assertFits(context, { recipeId: recipe.id, text, shown: body, visit, mark });
  await changeAsOperator(
    context,
    operator,
    async ({ manager, now }) => {
      await rewriteRecipe(manager, recipe.id, { text, isProven: true, changedAt: now });
      const event = {
        kind: "intake.recipe-corrected",
        reason: recipe.id,
        actorId: operator.account.id,
      } as const;
      const operators = { about: `${intake.source}, ${recipe.id}`, by: operator.account };
      await recordAndTell(context, manager, { event, readers: { operators }, visit, now });
    },
    { tells: true },
  );
  return { id: recipe.id, text, isProven: true };
}

function readOrRefuse(text: string): Recipe {
  try {
    return readRecipe(text);
  } catch (error) {
    if (!(error instanceof RecipeError)) throw error;
    throw fieldProblem([fieldError("text", "recipe-unsound", { reason: error.message })]);
  }
}

interface Showing {
  readonly recipeId: string;
  readonly text: string;
  readonly shown: Correction["body"];
  readonly visit: RequestOrigin;
  readonly mark: string | undefined;
}

/** A try like one at sign-in, so that nobody finds passwords here. */
async function assertFits(
  context: ServiceContext,
  { recipeId, text, shown, visit, mark }: Showing,
): Promise<void> {
  const { dataSource, hashing } = context;
  const { identifier: typed, password } = shown;
  const identifier = readIdentifier(typed);
  const account = identifier === null ? null : await findByIdentifier(dataSource, identifier);
  const imported = account === null ? null : await findImported(dataSource, account.id);
  const row = account === null ? null : await findRecord(dataSource, account.id);
  if (account === null || row === null || imported?.recipe !== recipeId || imported.replacedAt !== null)
    throw fieldProblem([fieldError("identifier", "not-of-recipe")]);
  const reserved = await reservePasswordTry(context, {
    accountId: account.id,
    name: null,
    network: visit.network,
    mark,
  });
  const prepared = preparePassword(password);
  const stored = checkable(await readStored(context, row, text));
  const fits =
    prepared.ok &&
    (await hashing.check({ prepared: prepared.text, typed: password }, stored, reserved.asker));
  if (!fits) throw fieldProblem([fieldError("password", "recipe-not-fitting")]);
  await reserved.giveBack();
}
