/** Thirty days at Brina Huts as a list of things that people did, in order of time. */
import type { Person } from "./people.ts";
import { BROWSERS, PEOPLE } from "./people.ts";

export interface Happening {
  /** Milliseconds before now. */
  readonly before: number;
  readonly kind:
    | "register"
    | "invite"
    | "sign-in"
    | "stay"
    | "enrol"
    | "add-passkey"
    | "wrong-password"
    | "unknown-name"
    | "suspend"
    | "must-change";
  readonly person: Person;
  readonly browser: string;
  readonly network: string;
}

const DAY = 86_400_000;
/** On this day the site went over to its present scheme; whoever has not signed in since has an older record. */
export const SCHEME_CHANGED = 12 * DAY;
/** The schemes before it, milliseconds ago from and to. */
export const OLD_SCHEMES = [
  { scheme: "$pbkdf2-sha256$i=120000", from: 31 * DAY, to: 21 * DAY },
  { scheme: "$scrypt$ln=13,r=8,p=1", from: 21 * DAY, to: SCHEME_CHANGED },
] as const;
/** A burst of guesses from one network: days ago, and how many. */
const BURST = { daysAgo: 15.4, tries: 60, network: "203.0.113.77" } as const;

/** Everything, the longest ago first. */
export function history(): Happening[] {
  const all = [...PEOPLE.flatMap(happeningsOf), ...burst()];
  return all.sort((left, right) => right.before - left.before);
}

function happeningsOf(person: Person, index: number): Happening[] {
  const browserAt = (visit: number) => BROWSERS[(index + visit) % BROWSERS.length] ?? "";
  // Documentation networks (RFC 5737, RFC 3849).
  const networkAt = (visit: number) =>
    visit % 3 === 2 ? `2001:db8:${index + 1}::7` : `192.0.2.${10 + index}`;
  const happening = (kind: Happening["kind"], before: number, visit: number): Happening => ({
    before,
    kind,
    person,
    browser: browserAt(visit),
    network: networkAt(visit),
  });
  const jitter = index * 37 * 60_000;
  const last = person.visits.length - 1;
  const visits = person.visits.flatMap((days, visit) => {
    const before = days * DAY + (days >= 1 ? jitter : index * 60_000);
    const mistyped = (index + visit) % 7 === 3 ? [happening("wrong-password", before + 40_000, visit)] : [];
    const kind =
      visit === person.secondFactorAt
        ? "enrol"
        : visit === person.passkeyAt
          ? "add-passkey"
          : person.stays === true && visit === last
            ? "stay"
            : "sign-in";
    return [...mistyped, happening(kind, before, visit)];
  });
  const suspended = person.suspended === true ? [happening("suspend", 6 * DAY + jitter, 0)] : [];
  const mustChange = person.mustChange === true ? [happening("must-change", 0.5 * DAY, 0)] : [];
  const begins = person.invited === true ? "invite" : "register";
  return [happening(begins, person.registered * DAY + jitter, 0), ...visits, ...suspended, ...mustChange];
}

function burst(): Happening[] {
  return Array.from({ length: BURST.tries }, (_, index) => {
    const person = PEOPLE[index % 6] ?? PEOPLE[0];
    if (person === undefined) throw new Error("nobody is there to guess at");
    return {
      before: BURST.daysAgo * DAY - index * 4_000,
      kind: index % 4 === 0 ? ("unknown-name" as const) : ("wrong-password" as const),
      person,
      browser: "Wget/1.21",
      network: BURST.network,
    };
  });
}
