/**
 * An account, its owner, and a stranger who holds something of it: a model written from the table of recovery rules and not
 * from the code, and the actions by which both play against the real service.
 */
import { expect } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import fc from "fast-check";
import { codesOf } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import type { Reply } from "../../testing/visitor.ts";
import { mailsTo, mailTo, secretOf, Visitor } from "../../testing/visitor.ts";

export type Who = "owner" | "stranger";
const DAY = 86_400_000;
const UNDO_LIFE = 7 * DAY;
const PREPARING = 7 * DAY;
/** Between two actions: past every wait, and past the code that was used. */
const PAUSE = 20 * 60_000;

/** What the stranger holds from the beginning. */
export interface Loot {
  readonly password: boolean;
  /** Reads the owner's mailbox. */
  readonly mailbox: boolean;
  /** Holds the owner's phone. */
  readonly phone: boolean;
}

interface Life {
  readonly by: Who;
  readonly since: number;
  removedAt: number | null;
}

interface Factor extends Life {
  readonly uri: string;
}

interface CodeSet extends Life {
  /** Those that were not used yet. */
  readonly codes: string[];
}

/** What stood before a change. */
interface Before {
  readonly address: string;
  readonly password: string | null;
  readonly devices: ReadonlySet<Who>;
}

interface UndoLink extends Before {
  readonly kind: "address" | "factor" | "erasure";
  readonly mailbox: string;
  readonly secret: string;
  readonly at: number;
}

/** The account as it should be. */
export class Model {
  password: string | null;
  factors: Factor[] = [];
  codeSets: CodeSet[] = [];
  isClosed = false;
  /** After an operator's help the next sign-in wants a mail as well. */
  wantsMail = false;
  devices = new Set<Who>();
  undoLinks: UndoLink[] = [];
  /** Mailboxes of each, besides the owner's own. */
  readonly mailboxes: Record<Who, Set<string>>;
  known: Record<Who, string[]>;
  address: string;
  readonly loot: Loot;

  constructor(address: string, password: string, loot: Loot) {
    this.address = address;
    this.password = password;
    this.loot = loot;
    this.mailboxes = { owner: new Set([address]), stranger: new Set(loot.mailbox ? [address] : []) };
    this.known = { owner: [password], stranger: loot.password ? [password] : [] };
  }

  get active(): Factor[] {
    return this.factors.filter(({ removedAt }) => removedAt === null);
  }

  /** An authenticator that somebody can show codes of. */
  heldBy(who: Who, factors: readonly Factor[] = this.active): Factor | undefined {
    return factors.find(({ by }) => by === who || (who === "stranger" && this.loot.phone && by === "owner"));
  }

  knows(who: Who): boolean {
    return this.password !== null && this.known[who].includes(this.password);
  }

  /** Whether somebody can show a second factor, or none is asked. */
  passesFactor(who: Who): boolean {
    return this.active.length === 0 || this.heldBy(who) !== undefined;
  }

  /** Whether somebody reads the mail that the account gets now. */
  readsMail(who: Who): boolean {
    return this.mailboxes[who].has(this.address);
  }

  /** Whether somebody signs in by password now. */
  maySignIn(who: Who): boolean {
    const reads = !this.wantsMail || this.readsMail(who);
    return this.knows(who) && !this.isClosed && this.passesFactor(who) && reads;
  }

  /** What of the account's factors stood before a change and is the owner's. */
  standing<One extends Life>({ kind, at }: UndoLink, ones: readonly One[]): One[] {
    const start = kind === "address" ? at - PREPARING : at;
    return ones.filter(({ since, removedAt }) => since < start && (removedAt === null || removedAt >= start));
  }

  /** A recovery code that somebody has and that is not used yet. */
  spareOf(who: Who): string | undefined {
    return this.codeSets.find(({ by, removedAt }) => by === who && removedAt === null)?.codes.shift();
  }

  /** What somebody can show as a thing from before; `null`: nothing is needed here. */
  thingFor(who: Who, link: UndoLink): { password: string } | { factor: Factor } | null | undefined {
    const standing = this.standing(link, this.factors);
    const codes = this.standing(link, this.codeSets);
    if (link.devices.has(who)) return null;
    if (link.password === null && link.devices.size === 0 && standing.length === 0 && codes.length === 0)
      return null;
    if (link.password !== null && this.known[who].includes(link.password)) return { password: link.password };
    const factor = this.heldBy(who, standing);
    return factor && { factor };
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
const now = ({ service }: Real) => service.clock.now().getTime();

/** Signs in with the newest password that somebody knows, and a code of an authenticator in their hands. */
async function signIn(m: Model, r: Real, who: Who): Promise<boolean> {
  const visitor = r.visitors[who];
  visitor.cookies.forEach((_value, name) => !name.includes("device") && visitor.cookies.delete(name));
  const typed = m.knows(who) ? (m.password ?? "") : (m.known[who].at(-1) ?? "no password at all");
  const proof = { type: "password", identifier: m.address, password: typed };
  const seen = new Set((await mailsTo(r.service, m.address)).map(({ id }) => id));
  let reply: Reply = await visitor.post("/v1/sign-in", { proof });
  if (wants(reply, "totp")) {
    const factor = m.heldBy(who);
    const code = factor === undefined ? "000000" : codesOf(r.service, factor.uri)();
    reply = await show(visitor, { type: "totp", code });
    // Whoever guesses uses the tries of codes up, but keeps nobody out who has a recovery code (RC-7).
    const spare = reply.status === 429 && factor !== undefined ? m.spareOf(who) : undefined;
    if (spare !== undefined) reply = await show(visitor, { type: "recovery-code", code: spare });
    else if (reply.status === 429) return false;
  }
  if (wants(reply, "mail-link") && m.readsMail(who)) {
    const mail = await mailTo(r.service, m.address, "confirm-sign-in", seen);
    reply = await show(visitor, { type: "mail-link", secret: secretOf(mail) });
  }
  expect([who, "signs in", reply.status === 201]).toEqual([who, "signs in", m.maySignIn(who)]);
  if (reply.status !== 201) return false;
  m.devices.add(who);
  m.wantsMail = false;
  return true;
}

const show = (visitor: Visitor, proof: object) => visitor.post("/v1/sign-in/proof", { proof });
function wants(reply: Reply, proof: string): boolean {
  return reply.status === 202 && reply.json<{ wanted: string[] }>().wanted.includes(proof);
}

const before = (m: Model): Before => ({
  address: m.address,
  password: m.password,
  devices: new Set(m.devices),
});

/** The mails with undo links that a change brings, one to each address that is told. */
async function takeUndoLinks(
  m: Model,
  r: Real,
  { was, kind, template, at }: { was: Before; kind: UndoLink["kind"]; template: string; at: number },
): Promise<void> {
  const former = m.undoLinks.filter((one) => one.kind === "address").map(({ address }) => address);
  const told = kind === "address" ? [was.address] : [...new Set([m.address, ...former])];
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
    if (mail !== undefined) m.undoLinks.push({ ...was, kind, mailbox, secret: secretOf(mail), at });
  }
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
    m.undoLinks = m.undoLinks.filter(({ at }) => at + UNDO_LIFE > now(r));
    await this.act(m, r);
  }
  toString(): string {
    return `${this.who}.${this.constructor.name}`;
  }
}

class SignIn extends By {
  check = (m: Readonly<Model>) => m.known[this.who].length > 0;
  protected async act(m: Model, r: Real): Promise<void> {
    await signIn(m, r, this.who);
  }
}

class SignInByMail extends By {
  check = () => true;
  protected async act(m: Model, r: Real): Promise<void> {
    const visitor = r.visitors[this.who];
    visitor.cookies.forEach((_value, name) => !name.includes("device") && visitor.cookies.delete(name));
    const seen = new Set((await mailsTo(r.service, m.address)).map(({ id }) => id));
    await visitor.post("/v1/mail-links", { purpose: "sign-in", identifier: m.address });
    if (m.isClosed) return;
    const mail = await mailTo(r.service, m.address, "sign-in", seen);
    if (!m.readsMail(this.who) || mail.links[0]?.includes("lcl_") !== true) return;
    let reply = await show(visitor, { type: "mail-link", secret: secretOf(mail) });
    if (wants(reply, "totp")) {
      const factor = m.heldBy(this.who);
      const code = factor === undefined ? "000000" : codesOf(r.service, factor.uri)();
      reply = await show(visitor, { type: "totp", code });
      if (reply.status === 429) return;
    }
    const needsPassword = m.wantsMail && m.password !== null;
    if (wants(reply, "password"))
      reply = await show(visitor, {
        type: "password",
        password: m.knows(this.who) ? m.password : "none of it",
      });
    const may = m.passesFactor(this.who) && (!needsPassword || m.knows(this.who));
    expect([this.who, "signs in by mail", reply.status === 201]).toEqual([this.who, "signs in by mail", may]);
    if (!may) return;
    m.devices.add(this.who);
    m.wantsMail = false;
  }
}

class OperatorRemovesFactor extends By {
  constructor() {
    super("owner");
  }
  check = (m: Readonly<Model>) => m.active.length > 0;
  protected async act(m: Model, r: Real): Promise<void> {
    const [row] = await r.service.dataSource.query("SELECT id FROM account WHERE email = ?", [m.address]);
    const was = before(m);
    const office = r.service.as(await r.service.operator());
    const help = { params: { id: row.id }, body: { reason: "lost everything" } };
    const done = await office(routes.removeSecondFactor, help).then(
      () => true,
      () => false,
    );
    expect([done, "helped"]).toEqual([!m.isClosed, "helped"]);
    if (!done) return;
    const at = now(r);
    for (const one of [...m.factors, ...m.codeSets]) one.removedAt ??= at;
    m.wantsMail = true;
    await takeUndoLinks(m, r, { was, kind: "factor", template: "second-factor-removed", at });
  }
}

class Reset extends By {
  check = () => true;
  protected async act(m: Model, r: Real): Promise<void> {
    const seen = new Set((await mailsTo(r.service, m.address)).map(({ id }) => id));
    const visitor = r.visitors[this.who];
    await visitor.post("/v1/mail-links", { purpose: "reset", identifier: m.address });
    // Nothing is mailed for a closed account, and what is mailed is read by whoever reads that mailbox.
    if (m.isClosed) return;
    const mail = await mailTo(r.service, m.address, "reset", seen);
    if (!m.readsMail(this.who) || mail.links[0]?.includes("lcl_") !== true) return;
    const password = passwordNo(r.next());
    const reply = await visitor.post("/v1/mail-links/redeem", { secret: secretOf(mail), password });
    expect([reply.status, "reset"]).toEqual([200, "reset"]);
    m.password = password;
    m.known[this.who].push(password);
    m.devices.clear();
  }
}

class ChangePassword extends By {
  check = (m: Readonly<Model>) => m.known[this.who].length > 0;
  protected async act(m: Model, r: Real): Promise<void> {
    if (!(await signIn(m, r, this.who))) return;
    const password = passwordNo(r.next());
    const reply = await r.visitors[this.who].post("/v1/account/password", { password });
    expect(reply.status).toBe(200);
    m.password = password;
    m.known[this.who].push(password);
  }
}

class ChangeAddress extends By {
  check = (m: Readonly<Model>) => m.known[this.who].length > 0;
  protected async act(m: Model, r: Real): Promise<void> {
    if (!(await signIn(m, r, this.who))) return;
    const email = `${this.who}.${r.next()}@brina.example`;
    const visitor = r.visitors[this.who];
    const was = before(m);
    expect((await visitor.post("/v1/account/email", { email })).status).toBe(202);
    const secret = secretOf(await mailTo(r.service, email, "change-email"));
    expect((await visitor.post("/v1/mail-links/redeem", { secret })).json()).toMatchObject({
      outcome: "email-changed",
    });
    m.mailboxes[this.who].add(email);
    m.address = email;
    await takeUndoLinks(m, r, { was, kind: "address", template: "email-changed", at: now(r) });
  }
}

class Enrol extends By {
  check = (m: Readonly<Model>) => m.known[this.who].length > 0 && m.active.length < 4;
  protected async act(m: Model, r: Real): Promise<void> {
    if (!(await signIn(m, r, this.who))) return;
    const visitor = r.visitors[this.who];
    const was = before(m);
    const begun = (await visitor.post("/v1/account/totp", {})).json<{ id: string; uri: string }>();
    const code = codesOf(r.service, begun.uri)();
    const done = await visitor.post(`/v1/account/totp/${begun.id}/activate`, { code });
    expect(done.status).toBe(200);
    const { recoveryCodes: codes = [] } = done.json<{ recoveryCodes?: string[] }>();
    const at = now(r);
    m.factors.push({ uri: begun.uri, by: this.who, since: at, removedAt: null });
    if (codes.length > 0) m.codeSets.push({ codes, by: this.who, since: at, removedAt: null });
    await takeUndoLinks(m, r, { was, kind: "factor", template: "second-factor-added", at });
  }
}

class RemoveFactor extends By {
  check = (m: Readonly<Model>) => m.known[this.who].length > 0 && m.active.length > 0;
  protected async act(m: Model, r: Real): Promise<void> {
    if (!(await signIn(m, r, this.who))) return;
    const visitor = r.visitors[this.who];
    const was = before(m);
    const listed = (await visitor.call("GET", "/v1/account/totp")).json<{ items: Array<{ id: string }> }>();
    expect(listed.items).toHaveLength(m.active.length);
    expect((await visitor.call("DELETE", `/v1/account/totp/${listed.items[0]?.id ?? ""}`)).status).toBe(204);
    const at = now(r);
    const [first] = m.active;
    if (first !== undefined) first.removedAt = at;
    // With the last one the codes go.
    if (m.active.length === 0) for (const set of m.codeSets) set.removedAt ??= at;
    await takeUndoLinks(m, r, { was, kind: "factor", template: "second-factor-removed", at });
  }
}

class Erase extends By {
  check = (m: Readonly<Model>) => m.known[this.who].length > 0;
  protected async act(m: Model, r: Real): Promise<void> {
    if (!(await signIn(m, r, this.who))) return;
    const was = before(m);
    expect((await r.visitors[this.who].call("DELETE", "/v1/account")).status).toBe(204);
    m.isClosed = true;
    await takeUndoLinks(m, r, { was, kind: "erasure", template: "account-closed", at: now(r) });
  }
}

/** Uses an undo link of a mailbox that somebody reads, with a thing from before if they have one. */
export async function useUndoLink(m: Model, r: Real, who: Who, link: UndoLink): Promise<boolean> {
  const thing = m.thingFor(who, link);
  const code = thing && "factor" in thing ? codesOf(r.service, thing.factor.uri)() : "";
  const shown = !thing ? {} : { present: "password" in thing ? thing.password : { type: "totp", code } };
  const password = passwordNo(r.next());
  const more = link.kind === "erasure" ? shown : { ...shown, password };
  const reply = await r.visitors[who].post("/v1/mail-links/redeem", { secret: link.secret, ...more });
  const may = thing !== undefined && (link.kind !== "erasure" || m.isClosed);
  expect([who, "undoes", link.kind, reply.status === 200]).toEqual([who, "undoes", link.kind, may]);
  if (reply.status !== 200) return false;
  m.isClosed = false;
  const start = link.kind === "address" ? link.at - PREPARING : link.at;
  m.undoLinks = m.undoLinks.filter((one) => {
    if (one === link) return false;
    if (one.kind === "address") return link.kind !== "address" || one.at < link.at;
    if (one.kind === "factor") return link.kind === "erasure" || one.at < start;
    return one.at < link.at;
  });
  if (link.kind === "erasure") return true;
  m.wantsMail = false;
  m.factors = m.standing(link, m.factors).map((factor) => ({ ...factor, removedAt: null }));
  m.codeSets = m.standing(link, m.codeSets).map((set) => ({ ...set, removedAt: null }));
  m.devices.clear();
  m.password = password;
  m.known[who].push(password);
  if (link.kind === "address") m.address = link.address;
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
      fc.constant(new OperatorRemovesFactor()),
      WHO.map((who) => new ChangePassword(who)),
      WHO.map((who) => new Enrol(who)),
      WHO.map((who) => new ChangeAddress(who)),
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
  const password = passwordNo(number * 1_000);
  const model = new Model(address, password, loot);
  let count = number * 1_000;
  const visitors = { owner: new Visitor(service), stranger: new Visitor(service) };
  const real: Real = { service, visitors, next: () => (count += 1) };
  await visitors[registeredBy].post("/v1/accounts", { email: address, password });
  const secret = secretOf(await mailTo(service, address, "verify"));
  if (registeredBy === "stranger") {
    // A stranger registers the owner's address, and sets up what they can; the owner opens the link and chooses a password.
    model.known = { owner: [], stranger: [password] };
    await visitors.stranger.post("/v1/sign-in", {
      proof: { type: "password", identifier: address, password },
    });
    await visitors.stranger.post("/v1/account/access-keys", { name: "back door" });
    model.password = passwordNo(real.next());
    model.known.owner.push(model.password);
    await visitors.owner.post("/v1/mail-links/redeem", { secret, password: model.password });
  } else await visitors.owner.post("/v1/mail-links/redeem", { secret, present: password });
  await signIn(model, real, "owner");
  if (factorDaysAgo !== null) {
    await new Enrol("owner").run(model, real);
    await service.clock.advance(factorDaysAgo * DAY);
  }
  return { model, real };
}

/**
 * The owner takes the account back with what they have left: by signing in, by mail, or by the earliest undo links.
 * @returns whether anything was open to them, and whether they are in.
 */
export async function ownerComesBack(m: Model, r: Real): Promise<{ couldTry: boolean; isIn: boolean }> {
  const pause = () => r.service.clock.advance(PAUSE);
  await pause();
  m.undoLinks = m.undoLinks.filter(({ at }) => at + UNDO_LIFE > now(r));
  const mine = m.undoLinks
    .filter(({ mailbox }) => m.mailboxes.owner.has(mailbox))
    .sort((a, b) => a.at - b.at);
  let couldTry = mine.length > 0;
  for (const link of mine) {
    if (!m.undoLinks.includes(link)) continue;
    await pause();
    await useUndoLink(m, r, "owner", link);
  }
  if (m.mailboxes.owner.has(m.address) && !m.isClosed) {
    couldTry = true;
    await pause();
    await new Reset("owner").run(m, r);
  }
  await pause();
  return { couldTry, isIn: await signIn(m, r, "owner") };
}

/** Whether the stranger gets in with anything they ever knew. */
export async function strangerIsIn(m: Model, r: Real): Promise<boolean> {
  await r.service.clock.advance(PAUSE);
  return signIn(m, r, "stranger");
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
        // Whoever still has a mailbox that was proved, and does not share it, comes back and is alone.
        if (loot.mailbox) return;
        const { couldTry, isIn } = await ownerComesBack(model, real);
        if (!couldTry) return;
        expect([isIn, "the owner is back"]).toEqual([true, "the owner is back"]);
        expect([await strangerIsIn(model, real), "the stranger is in"]).toEqual([
          false,
          "the stranger is in",
        ]);
      },
    ),
    { ...options, endOnFailure: false, interruptAfterTimeLimit: 3_600_000 },
  );
}
