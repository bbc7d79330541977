/** As an operator: journal list, follow, head, verify. */
import { setTimeout as delay } from "node:timers/promises";
import type { JournalVerification, Open, OperatorJournalEntry } from "@lucchetto/contract";
import { routes, saidOf } from "@lucchetto/contract";
import type { JournalKind } from "@lucchetto/core";
import { JOURNAL_KINDS, readHead } from "@lucchetto/core";
import type { Command } from "commander";
import { InvalidArgumentError, Option } from "commander";
import type { Connection } from "../connection.ts";
import { connect } from "../connection.ts";
import { Failure } from "../failure.ts";
import { findId } from "../find-account.ts";
import type { PageOptions } from "../options.ts";
import { oneOf, pageOf, printMore, withPage } from "../options.ts";
import { print, printable, printJson, printTable, time } from "../output.ts";
import type { Progress } from "../progress.ts";
import { startProgress } from "../progress.ts";
import { terminal } from "../terminal.ts";

interface ListOptions extends PageOptions {
  readonly account?: string;
  readonly kind?: JournalKind;
  readonly request?: string;
  readonly json?: boolean;
}

export function defineJournal(journal: Command): void {
  withPage(journal.command("list"))
    .description("list events, newest first, with reasons that responses do not reveal")
    .option("--account <account>", "of one account: e-mail address, username, id or reference")
    .addOption(oneOf("--kind <kind>", "of one kind", JOURNAL_KINDS))
    .option("--request <id>", "of one request")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto journal list --kind sign-in.refused")
    .action(async (options: ListOptions, command: Command) => {
      const connection = connect(command);
      const accountId =
        options.account === undefined ? undefined : await findJournalled(connection, options.account);
      const { kind, request: requestId } = options;
      const query = { accountId, kind, requestId, ...pageOf(options) };
      const { body } = await connection.signedIn()(routes.listJournal, { query });
      if (options.json === true) return printJson(body);
      const rows = body.items.map((entry) => [
        time(entry.at),
        entry.kind,
        outcomeOf(entry),
        entry.network ?? "–",
        whoseOf(entry),
        byWhom(entry) ?? "–",
      ]);
      printTable(["when", "what", "outcome", "from", "account", "by"], rows, "No such events yet.", [
        "by",
        "from",
        "account",
      ]);
      printMore(body.next);
    });

  journal
    .command("follow")
    .description("print events as they happen, until Ctrl-C")
    .option("--json", "as JSON, one event a line")
    .addHelpText("after", "\nExample:\n  lucchetto journal follow")
    .action(async ({ json = false }: { json?: boolean }, command: Command) => {
      await follow(connect(command), (entry) => print(json ? JSON.stringify(entry) : lineOf(entry)));
    });

  journal
    .command("head")
    .description("print where the journal's chain ends, to be kept elsewhere and verified against later")
    .option("--json", "as JSON")
    .addHelpText("after", "\nExample:\n  lucchetto journal head >> heads.txt")
    .action(async ({ json = false }: { json?: boolean }, command: Command) => {
      const { body } = await connect(command).signedIn()(routes.showJournalHead);
      if (json) return printJson(body);
      if (body.head === null) throw new Failure(notChained(body.waiting), 1);
      print(body.head);
      const { stderr } = terminal();
      stderr.write(
        `${countOf(body.chained)} chained, ${body.waiting} not yet. Keep this line where nobody who can change the database can change it.\n`,
      );
    });

  journal
    .command("verify")
    .description(
      "check that no event was changed, removed or reordered since it was written; exit 1 if one was",
    )
    .addOption(
      new Option(
        "--head <head>",
        "a line of `journal head` that was kept: also checks that nothing was cut off since",
      ).argParser(assertHead),
    )
    .addOption(
      new Option("--after <position>", "begin behind a position, such as a flaw that is known").argParser(
        readPosition,
      ),
    )
    .option("--json", "as JSON")
    .addHelpText("after", '\nExample:\n  lucchetto journal verify --head "$(tail -1 heads.txt)"')
    .action(async (options: VerifyOptions, command: Command) => {
      const found = await verify(connect(command), options);
      if (options.json === true) printJson(found);
      else if (found.flaw === null) print(...wholeInWords(found, options));
      else throw new Failure(flawInWords(found.flaw, options));
      if (found.flaw !== null) terminal().exitStatus = 1;
    });
}

const outcomeOf = ({ outcome, reason }: Open<OperatorJournalEntry>): string =>
  reason === null ? outcome : `${outcome}: ${reason}`;
const whoseOf = ({ accountName, accountId }: Open<OperatorJournalEntry>): string =>
  accountName ?? accountId ?? "–";
const byWhom = ({ actorName, appName }: Open<OperatorJournalEntry>): string | null =>
  actorName ?? (appName === null ? null : `app ${appName}`);

/** Milliseconds between two looks. */
const LOOK_EVERY = 1_000;
/** Events that are shown to begin with. */
const BEGIN_WITH = 10;
/** As many as a page holds. */
const PAGE = 100;

/** Shows the latest events, and then every one that is written, in the order in which they are seen. */
async function follow(
  connection: Connection,
  show: (entry: Open<OperatorJournalEntry>) => void,
): Promise<void> {
  const call = connection.signedIn();
  // Events of one moment may be seen in another order than they were written.
  let seen = new Set<string>();
  const readNew = async (): Promise<Array<Open<OperatorJournalEntry>>> => {
    const found: Array<Open<OperatorJournalEntry>> = [];
    let cursor: string | undefined;
    do {
      const { body } = await call(routes.listJournal, { query: { limit: PAGE, cursor } });
      found.push(...body.items);
      const isReached = seen.size === 0 || body.items.some(({ id }) => seen.has(id));
      cursor = isReached ? undefined : (body.next ?? undefined);
    } while (cursor !== undefined);
    return found;
  };
  for (let isFirst = true; ; isFirst = false) {
    const found = await readNew();
    const fresh = found.filter(({ id }) => !seen.has(id)).toReversed();
    for (const entry of isFirst ? fresh.slice(-BEGIN_WITH) : fresh) show(entry);
    seen = new Set(found.map(({ id }) => id));
    await delay(LOOK_EVERY);
  }
}

function lineOf(entry: Open<OperatorJournalEntry>): string {
  const by = byWhom(entry);
  const said = [entry.kind, outcomeOf(entry), whoseOf(entry), ...(by === null ? [] : [`by ${by}`])];
  return printable([time(entry.at), ...said, entry.network ?? "–"].join("  "));
}

interface VerifyOptions {
  readonly head?: string;
  readonly after?: number;
  readonly json?: boolean;
}

interface Found extends Pick<Open<JournalVerification>, "flaw" | "heldHead" | "waiting" | "last"> {
  readonly verified: number;
}

/** Goes through the chain, to its end or to the first flaw. */
async function verify(connection: Connection, { head, after: begin = 0 }: VerifyOptions): Promise<Found> {
  const call = connection.signedIn();
  const { chained, head: newest, waiting } = (await call(routes.showJournalHead)).body;
  if (newest === null && head === undefined) throw new Failure(notChained(waiting));
  let progress: Progress | null = null;
  let verified = 0;
  for (let after: number | null = begin; ;) {
    const { body }: { body: Open<JournalVerification> } = await call(routes.verifyJournal, {
      query: { after, head },
    });
    verified += body.last - body.after;
    if (body.next === null || body.flaw !== null) {
      progress?.stop();
      const { flaw, heldHead, waiting: left, last } = body;
      return { verified, flaw, heldHead, waiting: left, last };
    }
    progress ??= startProgress("Verifying", Math.max(chained - begin, verified));
    progress.update(verified);
    after = body.next;
  }
}

const countOf = (entries: number): string =>
  `${entries.toLocaleString("en")} event${entries === 1 ? " is" : "s are"}`;

function notChained(waiting: number): string {
  return waiting === 0
    ? "Nothing is chained yet: the journal is empty."
    : `Nothing is chained yet, ${waiting} wait. It takes seconds; without a key ring (lucchetto keys add) the journal is not chained at all.`;
}

function wholeInWords({ verified, last, heldHead, waiting: left }: Found, { head }: VerifyOptions): string[] {
  const waiting = left ?? 0;
  const newer =
    waiting === 0 ? "" : ` ${waiting} newer ${waiting === 1 ? "one is" : "ones are"} not chained yet.`;
  const kept =
    heldHead === true
      ? "The kept head is in it: nothing was cut off since."
      : "The kept head is older than the journal is kept; nothing can be said by it.";
  return [
    `The journal holds together: ${verified.toLocaleString("en")} events, up to position ${last.toLocaleString("en")}.${newer}`,
    // Without one named here it may be the one that the service keeps (journal.headFile).
    ...(head === undefined && heldHead === null ? [] : [kept]),
  ];
}

/** What was found, what it means, and how to look further. */
function flawInWords(
  { position, entryId, what }: NonNullable<Open<JournalVerification>["flaw"]>,
  { after = 0 }: VerifyOptions,
): string {
  const which = entryId === null ? `position ${position}` : `position ${position} (event ${entryId})`;
  const sayings = {
    missing: `The event at ${which} was removed.`,
    changed: `What stands at ${which} was changed after it was written.`,
    forged: `What stands at ${which} was not chained by this service: somebody without the key ring wrote it.`,
    "key-missing": `What stands at ${which} is sealed under a key that is not in the key ring; nothing can be said of it.`,
    cut: `Everything from ${which} on was cut off: the kept head was further.`,
    other: `At ${which} stands something other than when the head was kept: this is another journal, or all of it was written anew.`,
    outside: `The event at ${which} stands outside the chain: it is listed, and was never chained by this service.`,
    unchained: `Events that were written hours ago are not chained: somebody keeps the service from it, or wrote them into the database. See the service's log.`,
  };
  const said = saidOf(sayings, what, `At ${which}: ${printable(what)}.`);
  const on = what === "changed" ? position : position + 1;
  const further =
    what === "cut" || what === "other" || what === "outside" || what === "unchained"
      ? ""
      : `\nLook further behind it: lucchetto journal verify --after ${on}`;
  const before = after === 0 ? "Everything before it" : `Everything from position ${after} up to it`;
  return `${said} ${before} holds together.${further}`;
}

function assertHead(text: string): string {
  if (readHead(text) !== null) return text;
  throw new InvalidArgumentError("Expected a line that `lucchetto journal head` printed.");
}

function readPosition(text: string): number {
  const position = Number(text);
  if (/^\d{1,15}$/.test(text)) return position;
  throw new InvalidArgumentError("Expected a position: a whole number.");
}

const UUID = /^[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;

/** The journal keeps ids of accounts that are gone; no list knows them any more. */
function findJournalled(connection: Connection, named: string): Promise<string> | string {
  return UUID.test(named) ? named : findId(connection, named);
}
