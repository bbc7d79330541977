/**
 * An account, its owner, and a stranger who holds something of it: a model written from the table of recovery rules and not
 * from the code, and the actions by which both play against the real service.
 */
import { expect } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import fc from "fast-check";
import { eventually } from "../../testing/eventually.ts";
import { codesOf } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import type { Reply } from "../../testing/visitor.ts";
import { mailsTo, mailTo, secretOf, Visitor } from "../../testing/visitor.ts";

export type Who = "owner" | "stranger";
const DAY = 86_400_000;
const UNDO_LIFE = 7 * DAY;
const PREPARING = 7 * DAY;
/** What was forgotten still tells who was there for so long. */
const KEPT = UNDO_LIFE + PREPARING + DAY;
/** Between two actions: past every wait, and past the code that was used. */
const PAUSE = 20 * 60_000;
/** Former passwords that count beside a link. */
const MOST_PASSWORDS = 10;
/** Changes of a username in seven days. */
const MOST_USERNAMES = 3;

/** What the stranger holds from the beginning. */
export interface Loot {
  readonly password: boolean;
  /** Reads the owner's mailbox. */
  readonly mailbox: boolean;
  /** Holds the owner's phone. */
  readonly phone: boolean;
}

/** How far back goes what was shown: the oldest of it, and the oldest browser or factor among it. */
interface Shown {
  readonly proved: number | null;
  readonly stands: number | null;
}
const NOTHING: Shown = { proved: null, stands: null };
const least = (...times: Array<number | null>): number | null =>
  times.reduce<number | null>((a, b) => (a === null ? b : b === null ? a : Math.min(a, b)), null);
const together = (...shown: Shown[]): Shown => ({
  proved: least(...shown.map(({ proved }) => proved)),
  stands: least(...shown.map(({ stands }) => stands)),
});

interface Life {
  readonly by: Who;
  readonly since: number;
  /** From when it counts. */
  readonly proved: number;
  removedAt: number | null;
}

interface Factor extends Life {
  readonly uri: string;
}

interface CodeSet extends Life {
  /** Those that were not used yet. */
  readonly codes: string[];
}

interface Password {
  readonly text: string;
  readonly setAt: number;
  readonly proved: number;
  readonly stands: number | null;
  readonly browser: Who | null;
  replacedAt: number | null;
}

interface Browser {
  since: number;
  proved: number | null;
  forgottenAt: number | null;
  endedAt: number | null;
}

interface UndoLink {
  readonly kind: "identifier" | "factor" | "erasure";
  readonly mailbox: string;
  readonly secret: string;
  readonly at: number;
  /** As they were before the change. */
  readonly address: string;
  readonly username: string | null;
}

/** The account as it should be. */
export class Model {
  passwords: Password[] = [];
  factors: Factor[] = [];
  codeSets: CodeSet[] = [];
  browsers: Partial<Record<Who, Browser>> = {};
  keys: Array<{ id: string; by: Who; at: number }> = [];
  isClosed = false;
  /** After an operator's help the next sign-in wants a mail as well. */
  wantsMail = false;
  /** An operator wants a new password. */
  mustChange = false;
  undoLinks: UndoLink[] = [];
  /** When something was undone that put everybody out. */
  undone: number[] = [];
  addressSetAt = 0;
  /** Changed away from by a person, and not put back since: only these come back by another mailbox's link. */
  readonly left = new Set<string>();
  usernameSetAt = 0;
  usernamesSetAt: number[] = [];
  firstProvedAt = 0;
  /** Mailboxes of each, besides the owner's own. */
  readonly mailboxes: Record<Who, Set<string>>;
  known: Record<Who, string[]>;
  address: string;
  username: string | null;
  readonly loot: Loot;
  /** When the stranger first did anything. */
  firstTrouble: number | null = null;

  constructor(address: string, username: string, loot: Loot) {
    this.address = address;
    this.username = username;
    this.loot = loot;
    this.mailboxes = { owner: new Set([address]), stranger: new Set(loot.mailbox ? [address] : []) };
    this.known = { owner: [], stranger: [] };
  }

  get password(): Password | null {
    return this.passwords.find(({ replacedAt }) => replacedAt === null) ?? null;
  }

  get active(): Factor[] {
    return this.factors.filter(({ removedAt }) => removedAt === null);
  }

  /** An authenticator that somebody can show codes of. */
  heldBy(who: Who, factors: readonly Factor[] = this.active): Factor | undefined {
    return factors.find(({ by }) => by === who || (who === "stranger" && this.loot.phone && by === "owner"));
  }

  knows(who: Who): boolean {
    return this.password !== null && this.known[who].includes(this.password.text);
  }

  /** Whether somebody can show a second factor, or none is asked. */
  passesFactor(who: Who): boolean {
    return this.active.length === 0 || this.heldBy(who) !== undefined;
  }

  /** Whether somebody reads the mail that the account gets now. */
  readsMail(who: Who): boolean {
    return this.mailboxes[who].has(this.address);
  }

  /** A wanted new password without a second factor wants a mailed proof, too. */
  get wantsMailBeside(): boolean {
    return this.wantsMail || (this.mustChange && this.active.length === 0);
  }

  /** Whether somebody signs in by password now. */
  maySignIn(who: Who): boolean {
    const reads = !this.wantsMailBeside || this.readsMail(who);
    return this.knows(who) && !this.isClosed && this.passesFactor(who) && reads;
  }

  /** What somebody's browser tells of who was there. */
  groundsOf(who: Who, now: number): Shown {
    const browser = this.browsers[who];
    if (browser === undefined || browser.proved === null || browser.endedAt !== null) return NOTHING;
    if (browser.forgottenAt !== null && browser.forgottenAt < now - KEPT) return NOTHING;
    return { proved: browser.proved, stands: browser.since };
  }

  remember(who: Who, shown: Shown, now: number): void {
    const proved = shown.proved === null ? null : Math.min(now, shown.proved);
    const there = this.browsers[who];
    if (there === undefined) {
      this.browsers[who] = { since: now, proved, forgottenAt: null, endedAt: null };
      return;
    }
    const isAsOld = there.proved !== null && proved !== null && proved <= there.proved;
    const stood = there.proved !== null && there.forgottenAt === null;
    there.forgottenAt = null;
    if (there.endedAt !== null) {
      if (proved !== null) Object.assign(there, { since: now, proved, endedAt: null });
    } else if (isAsOld) there.proved = proved;
    else if (!stood) Object.assign(there, { since: now, proved });
  }

  forgetBrowsers(now: number): void {
    for (const browser of Object.values(this.browsers)) browser.forgottenAt ??= now;
  }

  /** Sets a password by what was shown, the browser included. */
  setPassword(text: string, by: Who | null, shown: Shown, now: number): void {
    this.dropPassword(now);
    this.passwords.push({
      text,
      setAt: now,
      proved: Math.min(now, shown.proved ?? now),
      stands: shown.stands,
      browser: by,
      replacedAt: null,
    });
    if (by !== null) this.known[by].push(text);
    if (shown.stands === null || shown.stands > this.startOf(now)) return;
    for (const [who, browser] of Object.entries(this.browsers)) if (who !== by) browser.endedAt ??= now;
  }

  dropPassword(now: number): void {
    const stands = this.password;
    if (stands !== null) stands.replacedAt = now;
  }

  /** When a thing had to stand before a change. */
  startOf(at: number): number {
    const start = at - PREPARING;
    return this.firstProvedAt <= start ? start : Math.min(this.firstProvedAt, at);
  }

  /** A recovery code that somebody has and that is not used yet. */
  spareOf(who: Who): { code: string; set: CodeSet } | undefined {
    const set = this.codeSets.find(
      ({ by, removedAt, codes }) => by === who && removedAt === null && codes.length > 0,
    );
    const code = set?.codes.shift();
    return set === undefined || code === undefined ? undefined : { code, set };
  }

  /** What somebody can show as a thing from before; `null`: nothing is needed here. */
  thingFor(who: Who, link: UndoLink): { password: Password } | { factor: Factor } | null | undefined {
    const start = this.startOf(link.at);
    const counts = (proved: number | null, endedAt: number | null) =>
      proved !== null && proved <= start && (endedAt === null || endedAt > start);
    const once = this.passwords
      .filter(({ replacedAt }) => replacedAt === null || replacedAt > start)
      .sort((a, b) => a.setAt - b.setAt)
      .slice(0, MOST_PASSWORDS);
    const stood = once.filter(({ proved, replacedAt }) => counts(proved, replacedAt));
    const own = once
      .filter(({ setAt, stands }) => setAt > start && stands !== null && stands <= start)
      .at(-1);
    const browsers = (Object.entries(this.browsers) as Array<[Who, Browser]>).filter(
      ([, { since, proved, forgottenAt, endedAt }]) =>
        since < link.at && counts(proved, forgottenAt) && counts(proved, endedAt),
    );
    const living = browsers.filter(
      ([name, { since }]) => own === undefined || own.browser === name || since > own.setAt,
    );
    const factors = this.factors.filter((one) => one.since < link.at && counts(one.proved, one.removedAt));
    const codes = this.codeSets.filter((one) => one.since < link.at && counts(one.proved, one.removedAt));
    if (stood.length + browsers.length + factors.length + codes.length === 0) return null;
    if (living.some(([name]) => name === who)) return null;
    const password = stood.find(
      ({ text, setAt }) => (own === undefined || setAt >= own.setAt) && this.known[who].includes(text),
    );
    if (password !== undefined) return { password };
    const factor = this.heldBy(who, factors);
    return factor && { factor };
  }

  /** Takes a change back. @returns nothing; the account is as it was before it, but for what came after the first undoing. */
  undo(link: UndoLink, now: number): void {
    const first = this.undone.filter((at) => at >= link.at).sort((a, b) => a - b)[0];
    const end = first ?? now;
    this.isClosed = false;
    const start = link.kind === "identifier" ? link.at - PREPARING : link.at;
    this.undoLinks = this.undoLinks.filter((one) => {
      if (one === link) return false;
      if (link.kind === "erasure") return !(one.kind === "erasure" && one.at >= link.at && one.at <= end);
      if (one.at >= link.at && one.at <= end) return false;
      return !(one.kind === "factor" && one.at >= start && one.at <= link.at);
    });
    if (link.kind === "erasure") return;
    this.undone.push(now);
    // What came meanwhile goes for good; what went meanwhile, and stood before, comes back.
    const came = ({ since }: Life) => since >= start && since < end;
    this.factors = this.factors.filter((one) => !came(one));
    this.codeSets = this.codeSets.filter((one) => !came(one));
    for (const one of [...this.factors, ...this.codeSets]) {
      const { since, removedAt } = one;
      if (since < start && removedAt !== null && removedAt >= start && removedAt < end) one.removedAt = null;
    }
    // What an undo put away is nobody's to bring back.
    const isItsOwn = link.kind === "identifier" && link.mailbox === link.address;
    const comesBack = isItsOwn || this.left.has(link.address);
    if (this.addressSetAt < end && comesBack) {
      this.address = link.address;
      this.left.delete(link.address);
    }
    if (this.usernameSetAt < end) this.username = link.username;
    this.keys = first === undefined ? [] : this.keys.filter(({ at }) => at >= first);
    this.forgetBrowsers(now);
    this.wantsMail = false;
    this.mustChange = false;
  }
}

/** The account as it is. */
export interface Real {
  readonly service: TestService;
  readonly visitors: Record<Who, Visitor>;
  /** Numbers for addresses and passwords. */
  next(): number;
}

const passwordNo = (number: number) => `a long enough password no ${number}`;
/** The moment of an action: the service's clock goes on by a millisecond with each look. */
const now = ({ service }: Real) => service.clock.now().getTime();

/** Goes on with a sign-in as far as somebody can. @returns what was shown, or nothing if they did not get in. */
async function goOn(
  m: Model,
  r: Real,
  who: Who,
  begun: { reply: Reply; shown: Shown; seen: ReadonlySet<string> },
): Promise<Shown | null> {
  const visitor = r.visitors[who];
  let { reply, shown } = begun;
  for (let steps = 0; steps < 5 && reply.status === 202; steps += 1) {
    if (wants(reply, "totp")) {
      const factor = m.heldBy(who);
      const code = factor === undefined ? "000000" : codesOf(r.service, factor.uri)();
      reply = await show(visitor, { type: "totp", code });
      if (reply.status < 300 && factor !== undefined)
        shown = together(shown, { proved: factor.proved, stands: factor.since });
      // Whoever guesses uses the tries of codes up, but keeps nobody out who has a recovery code (RC-7).
      const spare = reply.status === 429 && factor !== undefined ? m.spareOf(who) : undefined;
      if (spare !== undefined) {
        reply = await show(visitor, { type: "recovery-code", code: spare.code });
        shown = together(shown, { proved: spare.set.proved, stands: spare.set.since });
      }
    } else if (wants(reply, "mail-link")) {
      if (!m.readsMail(who)) return null;
      const mail = await mailTo(r.service, m.address, "confirm-sign-in", begun.seen);
      if (mail.links[0]?.includes("lcl_") !== true) return null;
      reply = await show(visitor, { type: "mail-link", secret: secretOf(mail) });
    } else if (wants(reply, "password")) {
      const password = m.knows(who) ? (m.password?.text ?? "") : "none of it";
      reply = await show(visitor, { type: "password", password });
      if (reply.status < 300) shown = together(shown, { proved: m.password?.proved ?? null, stands: null });
    } else if (wants(reply, "new-password")) {
      const password = passwordNo(r.next());
      const at = now(r);
      reply = await show(visitor, { type: "new-password", password });
      if (reply.status !== 201) return null;
      m.setPassword(password, who, together(shown, m.groundsOf(who, at)), at);
      m.mustChange = false;
      m.keys = [];
      m.forgetBrowsers(at);
    }
  }
  return reply.status === 201 ? shown : null;
}

function signedOut(visitor: Visitor): void {
  visitor.cookies.forEach((_value, name) => !name.includes("device") && visitor.cookies.delete(name));
}

/** Signs in with the newest password that somebody knows, and a code of an authenticator in their hands. */
async function signIn(m: Model, r: Real, who: Who): Promise<Shown | null> {
  const visitor = r.visitors[who];
  signedOut(visitor);
  const typed = m.knows(who) ? (m.password?.text ?? "") : (m.known[who].at(-1) ?? "no password at all");
  const proof = { type: "password", identifier: m.address, password: typed };
  const seen = new Set((await mailsTo(r.service, m.address)).map(({ id }) => id));
  const may = m.maySignIn(who);
  const first = { proved: m.password?.proved ?? null, stands: null };
  const reply = await visitor.post("/v1/sign-in", { proof });
  const isThrottled = { is: false };
  const shown = await goOn(m, r, who, { reply, shown: first, seen });
  if (shown === null && may) isThrottled.is = await isOutOfTries(m, r);
  if (!isThrottled.is) expect([who, "signs in", shown !== null]).toEqual([who, "signs in", may]);
  if (shown === null) return null;
  const at = now(r);
  const all = together(shown, m.groundsOf(who, at));
  m.remember(who, all, at);
  m.wantsMail = false;
  return all;
}

/** Whether guesses have used up the tries of codes, and nobody has a recovery code left: only then may a code at hand be refused. */
async function isOutOfTries(m: Model, r: Real): Promise<boolean> {
  const rows = await r.service.dataSource.query(
    "SELECT t.failures FROM throttle_count t JOIN account a ON a.id = t.subject WHERE a.emailKey = ? AND t.kind = 'account-factor' AND t.failures >= 80",
    [m.address],
  );
  return rows.length > 0;
}

const show = (visitor: Visitor, proof: object) => visitor.post("/v1/sign-in/proof", { proof });
function wants(reply: Reply, proof: string): boolean {
  return reply.status === 202 && reply.json<{ wanted: string[] }>().wanted.includes(proof);
}

interface Was {
  readonly address: string;
  readonly username: string | null;
}
const before = ({ address, username }: Model): Was => ({ address, username });

/** The mails with undo links that a change brings, one to each address that is told. */
async function takeUndoLinks(
  m: Model,
  r: Real,
  { was, kind, template, told }: { was: Was; kind: UndoLink["kind"]; template: string; told: string[] },
): Promise<void> {
  for (const mailbox of told) {
    const seen = new Set(m.undoLinks.map(({ secret }) => secret));
    const mails = await mailsTo(r.service, mailbox);
    const mail = mails.find(
      (one) => one.template === template && one.links.length > 0 && !seen.has(secretOf(one)),
    );
    expect([mailbox, "hears of", template, mail !== undefined]).toEqual([
      mailbox,
      "hears of",
      template,
      true,
    ]);
    if (mail === undefined) continue;
    const at = new Date(mail.sentAt).getTime();
    const [row] = await r.service.dataSource.query(
      "SELECT createdAt FROM mail_link WHERE accountId = (SELECT id FROM account WHERE emailKey = ?) ORDER BY createdAt DESC, id DESC LIMIT 1",
      [m.address],
    );
    m.undoLinks.push({ ...was, kind, mailbox, secret: secretOf(mail), at: row?.createdAt?.getTime() ?? at });
  }
}

/** The present address, and those changed away from that can still be restored. */
const toldOf = (m: Model, now: number): string[] => [
  ...new Set([
    m.address,
    ...m.undoLinks
      .filter(({ kind, at }) => kind === "identifier" && at + UNDO_LIFE > now)
      .map(({ mailbox }) => mailbox),
  ]),
];

async function idOf(m: Model, r: Real): Promise<string> {
  const [row] = await r.service.dataSource.query("SELECT id FROM account WHERE emailKey = ?", [m.address]);
  return row.id;
}

type Action = fc.AsyncCommand<Model, Real>;

abstract class By implements Action {
  protected readonly who: Who;
  constructor(who: Who) {
    this.who = who;
  }
  abstract check(m: Readonly<Model>): boolean;
  protected abstract act(m: Model, r: Real): Promise<void>;
  async run(m: Model, r: Real): Promise<void> {
    await r.service.clock.advance(PAUSE);
    const at = now(r);
    m.undoLinks = m.undoLinks.filter((link) => link.at + UNDO_LIFE > at);
    if (this.who === "stranger") m.firstTrouble ??= at;
    await this.act(m, r);
  }
  toString(): string {
    return `${this.who}.${this.constructor.name}`;
  }
}

/** Something that is done in a session just begun. */
abstract class InSession extends By {
  check = (m: Readonly<Model>): boolean => m.known[this.who].length > 0;
  protected abstract inSession(m: Model, r: Real, visitor: Visitor, shown: Shown): Promise<void>;
  protected async act(m: Model, r: Real): Promise<void> {
    const shown = await signIn(m, r, this.who);
    if (shown !== null) await this.inSession(m, r, r.visitors[this.who], shown);
  }
}

class SignIn extends InSession {
  protected inSession(): Promise<void> {
    return Promise.resolve();
  }
}

class SignInByMail extends By {
  check = () => true;
  protected async act(m: Model, r: Real): Promise<void> {
    const visitor = r.visitors[this.who];
    signedOut(visitor);
    const seen = new Set((await mailsTo(r.service, m.address)).map(({ id }) => id));
    await visitor.post("/v1/mail-links", { purpose: "sign-in", identifier: m.address });
    if (m.isClosed) return;
    const mail = await mailTo(r.service, m.address, "sign-in", seen);
    if (!m.readsMail(this.who) || mail.links[0]?.includes("lcl_") !== true) return;
    const reply = await show(visitor, { type: "mail-link", secret: secretOf(mail) });
    const needsPassword = m.wantsMail && m.password !== null;
    // Where an operator wants a new password, the mail is proof enough beside none.
    const may = m.passesFactor(this.who) && (!needsPassword || m.knows(this.who));
    const shown = await goOn(m, r, this.who, { reply, shown: NOTHING, seen });
    const isExcused = shown === null && may && (await isOutOfTries(m, r));
    if (!isExcused)
      expect([this.who, "signs in by mail", shown !== null]).toEqual([this.who, "signs in by mail", may]);
    if (shown === null) return;
    const at = now(r);
    m.remember(this.who, together(shown, m.groundsOf(this.who, at)), at);
    m.wantsMail = false;
  }
}

/** Guesses, names that are tried and links that are asked for by somebody who holds nothing: it changes nothing. */
class Noise extends By {
  constructor() {
    super("stranger");
  }
  check = () => true;
  protected async act(m: Model, r: Real): Promise<void> {
    const nobody = new Visitor(r.service);
    for (const identifier of [m.address, m.username ?? m.address])
      await nobody.post("/v1/sign-in", {
        proof: { type: "password", identifier, password: "a guess in the dark" },
      });
    for (const purpose of ["reset", "sign-in", "verify"])
      await nobody.post("/v1/mail-links", { purpose, identifier: m.address });
    // Mails are written after the replies: none of these is taken for somebody else's.
    await eventually(async () => {
      const waiting = await r.service.dataSource.query("SELECT 1 FROM asked_mail LIMIT 1");
      return waiting.length === 0;
    }, "all mails that were asked for");
  }
}

abstract class ByOperator extends By {
  constructor() {
    super("owner");
  }
  protected abstract help(m: Model, r: Real, id: string): Promise<boolean>;
  protected async act(m: Model, r: Real): Promise<void> {
    const done = await this.help(m, r, await idOf(m, r)).catch(() => false);
    expect([this.toString(), done]).toEqual([this.toString(), !m.isClosed]);
  }
  /** What every help ends. */
  protected ended(m: Model, at: number): void {
    m.keys = [];
    m.forgetBrowsers(at);
  }
  override toString = () => this.constructor.name;
}

class OperatorRemovesFactor extends ByOperator {
  check = (m: Readonly<Model>) => m.active.length > 0;
  protected async help(m: Model, r: Real, id: string): Promise<boolean> {
    const was = before(m);
    const office = r.service.as(await r.service.operator());
    await office(routes.removeSecondFactor, { params: { id }, body: { reason: "lost everything" } });
    const at = now(r);
    this.ended(m, at);
    const told = toldOf(m, at);
    await takeUndoLinks(m, r, { was, kind: "factor", template: "second-factor-removed", told });
    for (const one of [...m.factors, ...m.codeSets]) one.removedAt ??= m.undoLinks.at(-1)?.at ?? at;
    m.wantsMail = true;
    return true;
  }
}

class OperatorWantsNewPassword extends ByOperator {
  check = () => true;
  protected async help(m: Model, r: Real, id: string): Promise<boolean> {
    const office = r.service.as(await r.service.operator());
    // Of a closed account it may be wanted as well: it is for when its owner is back.
    await office(routes.changeAccount, { params: { id }, body: { mustChangePassword: true } });
    m.mustChange = true;
    this.ended(m, now(r));
    return !m.isClosed;
  }
}

class OperatorImportsFactor extends ByOperator {
  check = (m: Readonly<Model>) => m.active.length === 0 && !m.isClosed;
  protected async help(m: Model, r: Real): Promise<boolean> {
    const was = before(m);
    const office = r.service.as(await r.service.operator());
    const secret = Array.from(
      { length: 32 },
      (_, place) => "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567"[(r.next() * (place + 3)) % 32],
    );
    const uri = `otpauth://totp/x:x?secret=${secret.join("")}&issuer=x`;
    const items = [{ account: m.address, uri }];
    const { body } = await office(routes.importAuthenticators, { body: { match: "email", items } });
    if (!(body.items[0]?.outcome ?? "").startsWith("imported")) return false;
    const at = now(r);
    this.ended(m, at);
    await takeUndoLinks(m, r, { was, kind: "factor", template: "second-factor-added", told: toldOf(m, at) });
    const since = m.undoLinks.at(-1)?.at ?? at;
    m.factors.push({ uri, by: "owner", since, proved: since, removedAt: null });
    return true;
  }
}

/**
 * An old users table is taken in that has the account, with a password of then that a stranger knows: it fills what the account lacks, and
 * opens nothing.
 */
class OperatorFills extends By {
  constructor() {
    super("owner");
  }
  check = (m: Readonly<Model>) => !m.isClosed;
  protected async act(m: Model, r: Real): Promise<void> {
    const office = r.service.as(await r.service.operator());
    const leaked = passwordNo(r.next());
    m.known.stranger.push(leaked);
    const name = `table-${r.next()}.csv`;
    const { body: draft } = await office(routes.beginIntakeDraft, { body: { name, format: "csv" } });
    const params = { id: draft.id };
    const table = `mail,name,pw\n${m.address},Somebody,${leaked}\n`;
    const bytes = Buffer.from(table).toString("base64");
    await office(routes.addIntakePart, { params, body: { at: 0, bytes } });
    const plan = `source: {file: ${name}, format: csv}\ncolumns: {email: mail, displayName: name}\npasswords:\n  - {kind: plain, column: pw}\nexisting: fill\n`;
    await office(routes.runIntakeDraft, { params, body: { plan } });
    const ended = await eventually(async () => {
      const { body } = await office(routes.showIntakeDraft, { params });
      return body.state === "running" ? null : body;
    }, "the table that is taken in");
    expect(ended).toMatchObject({ state: "done", fault: null });
    const [row] = await r.service.dataSource.query("SELECT filled, taken FROM intake WHERE id = ?", [
      ended.intakeId,
    ]);
    expect(row).toMatchObject({ filled: 1, taken: 0 });
  }
  override toString = () => "OperatorFills";
}

/** An application's server suspends the account and lets it in again: sessions and keys end by it. */
class AppSuspends extends By {
  constructor() {
    super("owner");
  }
  check = (m: Readonly<Model>) => !m.isClosed;
  protected async act(m: Model, r: Real): Promise<void> {
    const id = await idOf(m, r);
    const authorization = await appOf(r.service);
    for (const state of ["suspended", "active"]) {
      const reply = await new Visitor(r.service).call(
        "PATCH",
        `/v1/app/accounts/${id}`,
        { state },
        { headers: { authorization } },
      );
      expect([state, reply.status]).toEqual([state, 200]);
    }
    m.keys = [];
  }
  override toString = () => "AppSuspends";
}

const APPS = new WeakMap<TestService, Promise<string>>();
function appOf(service: TestService): Promise<string> {
  const made = APPS.get(service) ?? makeApp(service);
  APPS.set(service, made);
  return made;
}
async function makeApp(service: TestService): Promise<string> {
  const office = service.as(await service.operator());
  const { body } = await office(routes.addApp, {
    body: { name: "Works on accounts", redirectUris: ["http://localhost:1/in"], rights: ["accounts"] },
  });
  return `Basic ${Buffer.from(`${body.app.clientId}:${body.key}`).toString("base64")}`;
}

class Reset extends By {
  check: (m: Readonly<Model>) => boolean = () => true;
  protected async act(m: Model, r: Real): Promise<void> {
    const secret = await this.secret(m, r);
    if (secret !== null) await this.redeem(m, r, secret);
  }
  protected async secret(m: Model, r: Real): Promise<string | null> {
    const seen = new Set((await mailsTo(r.service, m.address)).map(({ id }) => id));
    await r.visitors[this.who].post("/v1/mail-links", { purpose: "reset", identifier: m.address });
    // Nothing is mailed for a closed account, and what is mailed is read by whoever reads that mailbox.
    if (m.isClosed) return null;
    const mail = await mailTo(r.service, m.address, "reset", seen);
    return m.readsMail(this.who) && mail.links[0]?.includes("lcl_") === true ? secretOf(mail) : null;
  }
  protected async redeem(m: Model, r: Real, secret: string): Promise<void> {
    const password = passwordNo(r.next());
    const reply = await r.visitors[this.who].post("/v1/mail-links/redeem", { secret, password });
    expect([reply.status, "reset"]).toEqual([200, "reset"]);
    const at = now(r);
    m.setPassword(password, this.who, m.groundsOf(this.who, at), at);
    m.mustChange = false;
    m.forgetBrowsers(at);
    m.keys = [];
  }
}

/** The owner resets while the stranger, signed in, makes keys in loops: none lives afterwards. */
class ResetBesideKeys extends Reset {
  constructor() {
    super("owner");
  }
  override check = (m: Readonly<Model>) => m.known.stranger.length > 0;
  protected override async act(m: Model, r: Real): Promise<void> {
    if ((await signIn(m, r, "stranger")) === null) return;
    const secret = await this.secret(m, r);
    if (secret === null) return;
    let isOver = false;
    const loop = async (): Promise<void> => {
      while (!isOver) await r.visitors.stranger.post("/v1/account/access-keys", { name: "looped" });
    };
    const loops = [loop(), loop()];
    await this.redeem(m, r, secret).finally(() => (isOver = true));
    await Promise.all(loops);
  }
}

class ChangePassword extends InSession {
  protected async inSession(m: Model, r: Real, visitor: Visitor, shown: Shown): Promise<void> {
    const password = passwordNo(r.next());
    const reply = await visitor.post("/v1/account/password", { password });
    expect(reply.status).toBe(200);
    const at = now(r);
    m.setPassword(password, this.who, together(shown, m.groundsOf(this.who, at)), at);
    m.keys = m.keys.filter((key) => key.at < at - PREPARING);
  }
}

class ChangeAddress extends InSession {
  protected async inSession(m: Model, r: Real, visitor: Visitor): Promise<void> {
    const email = `${this.who}.${r.next()}@brina.example`;
    const was = before(m);
    expect((await visitor.post("/v1/account/email", { email })).status).toBe(202);
    const secret = secretOf(await mailTo(r.service, email, "change-email"));
    expect((await visitor.post("/v1/mail-links/redeem", { secret })).json()).toMatchObject({
      outcome: "email-changed",
    });
    m.mailboxes[this.who].add(email);
    m.address = email;
    m.left.add(was.address);
    await takeUndoLinks(m, r, { was, kind: "identifier", template: "email-changed", told: [was.address] });
    m.addressSetAt = m.undoLinks.at(-1)?.at ?? now(r);
  }
}

class ChangeUsername extends InSession {
  protected async inSession(m: Model, r: Real, visitor: Visitor): Promise<void> {
    const username = `${this.who}-${r.next()}`;
    const was = before(m);
    const at = now(r);
    const reply = await visitor.call("PATCH", "/v1/account", { username });
    const recent = m.usernamesSetAt.filter((time) => time > at - 7 * DAY).length;
    // The window is the first change's; between two windows either is right.
    if (reply.status === 429) {
      expect(m.usernamesSetAt.length).toBeGreaterThanOrEqual(MOST_USERNAMES);
      return;
    }
    expect([reply.status, recent <= 2 * MOST_USERNAMES]).toEqual([200, true]);
    m.usernamesSetAt.push(at);
    m.username = username;
    const told = toldOf(m, at);
    await takeUndoLinks(m, r, { was, kind: "identifier", template: "username-changed", told });
    m.usernameSetAt = m.undoLinks.at(-1)?.at ?? at;
  }
}

class MakeKey extends InSession {
  protected async inSession(m: Model, r: Real, visitor: Visitor): Promise<void> {
    const reply = await visitor.post("/v1/account/access-keys", { name: `of ${this.who}` });
    expect(reply.status).toBe(201);
    const { id } = reply.json<{ accessKey: { id: string } }>().accessKey;
    m.keys.push({ id, by: this.who, at: now(r) });
  }
}

class Enrol extends InSession {
  override check = (m: Readonly<Model>) => m.known[this.who].length > 0 && m.active.length < 4;
  protected async inSession(m: Model, r: Real, visitor: Visitor, shown: Shown): Promise<void> {
    const was = before(m);
    const begun = (await visitor.post("/v1/account/totp", {})).json<{ id: string; uri: string }>();
    const code = codesOf(r.service, begun.uri)();
    const done = await visitor.post(`/v1/account/totp/${begun.id}/activate`, { code });
    expect(done.status).toBe(200);
    const { recoveryCodes: codes = [] } = done.json<{ recoveryCodes?: string[] }>();
    const told = toldOf(m, now(r));
    await takeUndoLinks(m, r, { was, kind: "factor", template: "second-factor-added", told });
    const since = m.undoLinks.at(-1)?.at ?? now(r);
    const proved = Math.min(since, shown.proved ?? since);
    m.factors.push({ uri: begun.uri, by: this.who, since, proved, removedAt: null });
    if (codes.length > 0)
      m.codeSets.push({ codes: [...codes], by: this.who, since, proved, removedAt: null });
  }
}

class RemoveFactor extends InSession {
  override check = (m: Readonly<Model>) => m.known[this.who].length > 0 && m.active.length > 0;
  protected async inSession(m: Model, r: Real, visitor: Visitor): Promise<void> {
    const was = before(m);
    const listed = (await visitor.call("GET", "/v1/account/totp")).json<{ items: Array<{ id: string }> }>();
    expect(listed.items).toHaveLength(m.active.length);
    expect((await visitor.call("DELETE", `/v1/account/totp/${listed.items[0]?.id ?? ""}`)).status).toBe(204);
    const told = toldOf(m, now(r));
    await takeUndoLinks(m, r, { was, kind: "factor", template: "second-factor-removed", told });
    const at = m.undoLinks.at(-1)?.at ?? now(r);
    const [first] = m.active;
    if (first !== undefined) first.removedAt = at;
    // With the last one the codes go.
    if (m.active.length === 0) for (const set of m.codeSets) set.removedAt ??= at;
  }
}

class Erase extends InSession {
  protected async inSession(m: Model, r: Real, visitor: Visitor): Promise<void> {
    const was = before(m);
    expect((await visitor.call("DELETE", "/v1/account")).status).toBe(204);
    m.isClosed = true;
    m.keys = [];
    const told = toldOf(m, now(r));
    await takeUndoLinks(m, r, { was, kind: "erasure", template: "account-closed", told });
  }
}

/** Uses an undo link of a mailbox that somebody reads, with a thing from before if they have one. */
export async function useUndoLink(m: Model, r: Real, who: Who, link: UndoLink): Promise<boolean> {
  const thing = m.thingFor(who, link);
  const code = thing && "factor" in thing ? codesOf(r.service, thing.factor.uri)() : "";
  const shown = !thing ? {} : { present: "password" in thing ? thing.password.text : { type: "totp", code } };
  const password = passwordNo(r.next());
  const more = link.kind === "erasure" ? shown : { ...shown, password };
  const reply = await r.visitors[who].post("/v1/mail-links/redeem", { secret: link.secret, ...more });
  const may = thing !== undefined && (link.kind !== "erasure" || m.isClosed);
  expect([who, "undoes", link.kind, reply.status === 200]).toEqual([who, "undoes", link.kind, may]);
  if (reply.status !== 200) return false;
  const at = now(r);
  const proved: Shown = !thing
    ? NOTHING
    : "password" in thing
      ? { proved: thing.password.proved, stands: null }
      : { proved: thing.factor.proved, stands: thing.factor.since };
  const grounds = together(proved, m.groundsOf(who, at));
  m.undo(link, at);
  if (link.kind !== "erasure") m.setPassword(password, who, grounds, at);
  return true;
}

class Undo extends By {
  private readonly pick: number;
  constructor(who: Who, pick: number) {
    super(who);
    this.pick = pick;
  }
  check = (m: Readonly<Model>) => m.undoLinks.some(({ mailbox }) => m.mailboxes[this.who].has(mailbox));
  protected async act(m: Model, r: Real): Promise<void> {
    const readable = m.undoLinks.filter(({ mailbox }) => m.mailboxes[this.who].has(mailbox));
    const link = readable[this.pick % Math.max(1, readable.length)];
    if (link !== undefined) await useUndoLink(m, r, this.who, link);
  }
  override toString = () => `${this.who}.Undo(${this.pick})`;
}

class Wait extends By {
  private readonly hours: number;
  constructor(hours: number) {
    super("owner");
    this.hours = hours;
  }
  check = () => true;
  protected async act(_m: Model, r: Real): Promise<void> {
    await r.service.clock.advance(this.hours * 3_600_000);
  }
  override toString = () => `Wait(${this.hours} h)`;
}

const WHO = fc.constantFrom<Who>("owner", "stranger");
const STRANGER = fc.constant<Who>("stranger");

/** Runs of actions. The stranger does more than the owner, who would hear of it. */
export const ACTIONS = (maxCommands: number) =>
  fc.commands(
    [
      WHO.map((who) => new SignIn(who)),
      WHO.map((who) => new Reset(who)),
      WHO.map((who) => new SignInByMail(who)),
      fc.constant(new Noise()),
      fc.constant(new OperatorRemovesFactor()),
      fc.constant(new OperatorWantsNewPassword()),
      fc.constant(new OperatorImportsFactor()),
      fc.constant(new AppSuspends()),
      fc.constant(new OperatorFills()),
      fc.constant(new ResetBesideKeys()),
      WHO.map((who) => new ChangePassword(who)),
      STRANGER.map((who) => new ChangePassword(who)),
      WHO.map((who) => new Enrol(who)),
      WHO.map((who) => new ChangeAddress(who)),
      WHO.map((who) => new ChangeUsername(who)),
      WHO.map((who) => new MakeKey(who)),
      STRANGER.map((who) => new ChangeAddress(who)),
      STRANGER.map((who) => new RemoveFactor(who)),
      STRANGER.map((who) => new Enrol(who)),
      STRANGER.map((who) => new Erase(who)),
      fc.tuple(WHO, fc.nat(5)).map(([who, pick]) => new Undo(who, pick)),
      fc.integer({ min: 1, max: 60 }).map((hours) => new Wait(hours)),
    ] as Array<fc.Arbitrary<fc.AsyncCommand<Model, Real>>>,
    { maxCommands, size: "max" },
  );

export const LOOT = fc.record<Loot>({
  password: fc.boolean(),
  mailbox: fc.boolean(),
  phone: fc.constant(false),
});

/** How the run begins: an account of some age, perhaps with a second factor of some age. */
export async function begin(
  service: TestService,
  {
    loot,
    factorDaysAgo,
    registeredBy,
    number,
  }: { loot: Loot; factorDaysAgo: number | null; registeredBy: Who; number: number },
): Promise<{ model: Model; real: Real }> {
  // The clock only goes on: the mailbox shows the newest first.
  const address = `person.${number}@brina.example`;
  const username = `person-${number}`;
  const password = passwordNo(number * 1_000);
  const model = new Model(address, username, loot);
  let count = number * 1_000;
  const visitors = { owner: new Visitor(service), stranger: new Visitor(service) };
  const real: Real = { service, visitors, next: () => (count += 1) };
  const registration = { email: address, username, password };
  expect((await visitors[registeredBy].post("/v1/accounts", registration)).status).toBe(201);
  const registeredAt = now(real);
  model.setPassword(password, registeredBy, { proved: registeredAt, stands: null }, registeredAt);
  model.remember(registeredBy, { proved: registeredAt, stands: null }, registeredAt);
  const secret = secretOf(await mailTo(service, address, "verify"));
  if (registeredBy === "stranger") {
    // A stranger registers the owner's address, and sets up what they can; the owner opens the link and chooses a password.
    await visitors.stranger.post("/v1/account/access-keys", { name: "back door" });
    const own = passwordNo(real.next());
    expect((await visitors.owner.post("/v1/mail-links/redeem", { secret, password: own })).status).toBe(200);
    model.firstProvedAt = await provedAt(model, real);
    model.forgetBrowsers(model.firstProvedAt);
    model.setPassword(own, "owner", NOTHING, model.firstProvedAt);
    const set = model.password;
    if (set !== null) Object.assign(set, { browser: null });
  } else {
    expect((await visitors.owner.post("/v1/mail-links/redeem", { secret })).status).toBe(200);
    model.firstProvedAt = await provedAt(model, real);
    if (loot.password) model.known.stranger.push(password);
  }
  await signIn(model, real, "owner");
  if (factorDaysAgo !== null) {
    await new Enrol("owner").run(model, real);
    await service.clock.advance(factorDaysAgo * DAY);
  }
  model.firstTrouble = null;
  return { model, real };
}

async function provedAt({ address }: Model, { service }: Real): Promise<number> {
  const [row] = await service.dataSource.query("SELECT firstProvedAt FROM account WHERE emailKey = ?", [
    address,
  ]);
  return row.firstProvedAt.getTime();
}

/**
 * The owner takes the account back with what they have left: by signing in, by mail, and by undo links in whatever order.
 * @returns whether anything was open to them, and whether they are in.
 */
export async function ownerComesBack(m: Model, r: Real): Promise<{ couldTry: boolean; isIn: boolean }> {
  const pause = () => r.service.clock.advance(PAUSE);
  await pause();
  const at = now(r);
  m.undoLinks = m.undoLinks.filter((link) => link.at + UNDO_LIFE > at);
  const mine = m.undoLinks.filter(({ mailbox }) => m.mailboxes.owner.has(mailbox));
  // Whichever mail lies on top.
  const turned = r.next() % 2 === 0 ? mine : [...mine].reverse();
  let couldTry = false;
  for (const link of turned) {
    if (!m.undoLinks.includes(link)) continue;
    await pause();
    couldTry = (await useUndoLink(m, r, "owner", link)) || couldTry;
  }
  if (m.mailboxes.owner.has(m.address) && !m.isClosed) {
    couldTry = true;
    await pause();
    await new Reset("owner").run(m, r);
  }
  await pause();
  return { couldTry, isIn: (await signIn(m, r, "owner")) !== null };
}

/** Whether the stranger gets in with anything they ever knew. */
export async function strangerIsIn(m: Model, r: Real): Promise<boolean> {
  await r.service.clock.advance(PAUSE);
  return (await signIn(m, r, "stranger")) !== null;
}

/** What the stranger made that still works: a session, or a key. */
async function worksOf(m: Model, r: Real, visitor: Visitor): Promise<string[]> {
  const session = await visitor.call("GET", "/v1/session");
  const keys = await r.service.dataSource.query("SELECT id FROM access_key WHERE accountId = ?", [
    await idOf(m, r),
  ]);
  const expected = new Set(m.keys.map(({ id }) => id));
  return [
    ...(session.status === 200 ? ["session"] : []),
    ...keys
      .map(({ id }: { id: string }) => (expected.has(id) ? "key of the owner" : "key"))
      .filter((one: string) => one === "key"),
    ...m.keys.filter(({ by }) => by === "stranger").map(() => "key that the model knows"),
  ];
}

/** Plays runs of actions. @param options a fixed seed plays the same ones each time. */
export async function playRuns(
  at: TestService,
  { maxCommands, ...options }: { numRuns: number; maxCommands: number; seed?: number },
): Promise<void> {
  let number = 0;
  await fc.assert(
    fc.asyncProperty(
      LOOT,
      fc.constantFrom(null, 1, 9),
      fc.constantFrom<Who>("owner", "owner", "stranger"),
      ACTIONS(maxCommands),
      async (loot, factorDaysAgo, registeredBy, actions) => {
        number += 1;
        const { model, real } = await begin(at, { loot, factorDaysAgo, registeredBy, number });
        await fc.asyncModelRun(() => ({ model, real }), actions);
        // Whoever shares the mailbox with a thief is helped by an operator alone.
        if (loot.mailbox) return;
        const trouble = model.firstTrouble;
        const before = new Visitor(at);
        real.visitors.stranger.cookies.forEach((value, name) => before.cookies.set(name, value));
        const { couldTry, isIn } = await ownerComesBack(model, real);
        // Trouble of the last days: the owner always comes back with what the table grants.
        const isRecent = trouble === null || now(real) - trouble < 6 * DAY;
        const isExcused = !isIn && (await isOutOfTries(model, real));
        if (isRecent && couldTry && registeredBy === "owner" && !isExcused)
          expect([isIn, "the owner is back"]).toEqual([true, "the owner is back"]);
        if (!isIn || !couldTry) return;
        expect(await worksOf(model, real, before)).toEqual([]);
        expect([await strangerIsIn(model, real), "the stranger is in"]).toEqual([
          false,
          "the stranger is in",
        ]);
      },
    ),
    { ...options, endOnFailure: false, interruptAfterTimeLimit: 3_600_000 },
  );
}
