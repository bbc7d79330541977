/** How people sign in: counted day by day from the journal, which forgets its entries sooner than the counts are kept. */
import type { SignInFigures } from "@lucchetto/contract";
import type { FastifyBaseLogger } from "fastify";
import type { Background } from "../../base/background-work.ts";
import { countDaily, dayOf, keepDaily } from "../../base/clock/by-day.ts";
import { DAY } from "../../base/duration.ts";
import type { SignInCountRow } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";
import { countDuty, countFactors } from "../../records/second-factor/by-factor.ts";
import { secondFactorPolicy } from "../../records/second-factor/duty.ts";
import {
  countWays,
  findLastCountedDay,
  listSignInCounts,
  storeSignInCounts,
} from "../../records/sign-in/store.ts";

/** Days shown. */
const SHOWN_DAYS = 90;

/** Keeps the counts of each day. */
export function keepSignInCounts(context: ServiceContext, logger: FastifyBaseLogger): Background {
  const counts = countDaily(context.clock, async () =>
    storeSignInCounts(context.dataSource, await countUncounted(context)),
  );
  return keepDaily(counts, (error) => logger.warn({ err: error }, "sign-ins could not be counted"));
}

/** The figures as operators see them; those of the last days are counted at this moment. */
export async function showSignInFigures(context: ServiceContext): Promise<SignInFigures> {
  const { dataSource, clock } = context;
  const from = dayOf(new Date(clock.now().getTime() - SHOWN_DAYS * DAY));
  const who = secondFactorPolicy(context);
  const [stored, fresh, accounts, duty] = await Promise.all([
    listSignInCounts(dataSource, from),
    countUncounted(context),
    countFactors(dataSource),
    countDuty(dataSource, who),
  ]);
  const isFresh = new Set(fresh.map(({ day }) => day));
  const counts = [
    ...stored.filter(({ day }) => !isFresh.has(day)),
    ...fresh.filter(({ day }) => day >= from),
  ];
  return {
    days: groupByDay(counts),
    accounts,
    duty: { ...who, labels: [...who.labels], passkeyOnly: [...who.passkeyOnly], ...duty },
  };
}

/** From the last day that was counted, which was not over then. */
async function countUncounted({ dataSource, clock }: ServiceContext): Promise<SignInCountRow[]> {
  const today = dayOf(clock.now());
  const last = await findLastCountedDay(dataSource);
  const from = last === null ? null : last < today ? last : today;
  return countWays(dataSource, from);
}

function groupByDay(rows: readonly SignInCountRow[]): SignInFigures["days"] {
  const days = new Map<string, SignInFigures["days"][number]["ways"]>();
  for (const { day, way, signIns } of [...rows].sort((left, right) => (left.day < right.day ? -1 : 1))) {
    const ways = days.get(day) ?? [];
    ways.push({ proofs: way.split(" "), signIns });
    days.set(day, ways);
  }
  return [...days].map(([day, ways]) => ({ day, ways }));
}
