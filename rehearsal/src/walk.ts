/** Somebody on their way through an application: their browser, what they know, and what they have seen so far. */
import { randomBytes } from "node:crypto";
import type { Client, MailboxItem, Open } from "@lucchetto/contract";
import { createClient, ProblemError, routes } from "@lucchetto/contract";
import type { Browser, BrowserContext, Cookie, Page } from "playwright-core";
import type { Question, Reply } from "./asking.ts";
import { ask } from "./asking.ts";
import type { AuthenticatorApp } from "./authenticator-app.ts";
import { StepFailed, StepLeftOut } from "./failed.ts";
import { Forms } from "./forms.ts";
import type { Hints } from "./hints.ts";
import { settle, watched } from "./settle.ts";

export interface Addresses {
  /** The application's. */
  readonly app: string;
  /** Lucchetto's. */
  readonly service: string;
  /** Path of a page for all. */
  readonly open: string;
  /** Path of a page for those who are signed in. */
  readonly closed: string;
  /** Path of a closed address for programs. */
  readonly closedApi: string | null;
  /** Path of a page that wants a second factor. */
  readonly closedLevel2: string | null;
}

/** What a walk has, and may do. */
interface WalkParts {
  readonly browser: Browser | null;
  readonly marker: string | null;
  /** Milliseconds that one page, answer or mail may take. */
  readonly deadline: number;
  readonly hints: Hints;
  /** Whether the service's clock may be moved. */
  readonly movesClock: boolean;
  readonly invite: Invite | null;
}

/** Invites somebody by mail, who is to land at a page of the application. */
export type Invite = (person: { email: string; clientId: string; page: string }) => Promise<void>;

/** A cookie header, as the application would receive it. */
export const cookieHeader = (cookies: ReadonlyArray<Pick<Cookie, "name" | "value">>): string =>
  cookies.map(({ name, value }) => `${name}=${value}`).join("; ");

/** Times that a page is asked for, if it goes elsewhere by itself each time. */
const MAX_TRIES = 3;

export class Walk {
  readonly addresses: Addresses;
  readonly client: Client;
  readonly forms: Forms;
  /** Milliseconds that one page, answer or mail may take. */
  readonly deadline: number;
  /** Made up for this walk alone. */
  readonly email: string;
  password = `rehearsal ${randomBytes(9).toString("base64url")}`;
  /** A text that only the closed page shows; found by looking at it, unless it was given. */
  marker: string | null;
  /** Whether the marker stands in what is sent, and is not drawn in the browser. */
  isMarkerSent = true;
  /** What the closed page showed to a guest. */
  guestText = "";
  /** Where guests who want in are sent. */
  signInAddress: string | null = null;
  hasAccount = false;
  /** The application's cookies of the first session, while it lived. */
  firstCookies: readonly Cookie[] = [];
  /** The authenticator app, once it is set up. */
  authenticator: AuthenticatorApp | null = null;
  /** Until when its codes were used: the end of a period, in milliseconds since the epoch. */
  codesUsedUntil = 0;
  /** That were not spent yet. */
  recoveryCodes: string[] = [];
  /** Whether one of them opened the page, and only once. */
  recoveryCodesWork = false;
  readonly movesClock: boolean;
  /** Invites somebody; `null`: nobody may. */
  readonly invite: Invite | null;
  /** Whoever else was made up, and has an account now. */
  readonly others: Array<{ email: string; password: string }> = [];
  readonly #browser: Browser | null;
  #context: BrowserContext | null = null;
  #page: Page | null = null;

  constructor(addresses: Addresses, { browser, marker, deadline, hints, movesClock, invite }: WalkParts) {
    this.forms = new Forms(hints);
    this.invite = invite;
    this.movesClock = movesClock;
    this.deadline = deadline;
    this.addresses = addresses;
    this.client = createClient({ baseUrl: addresses.service });
    this.marker = marker;
    this.#browser = browser;
    this.email = `rehearsal-${randomBytes(6).toString("hex")}@rehearsal.example`;
  }

  at(path: string): string {
    return new URL(path, this.addresses.app).href;
  }

  get closedAddress(): string {
    return this.at(this.addresses.closed);
  }

  /** The tab; a new browser has one too. */
  async page(): Promise<Page> {
    return (this.#page ??= await this.newTab());
  }

  /** Another tab of the same browser. */
  async newTab(): Promise<Page> {
    if (this.#browser === null) throw new StepLeftOut("there is no browser");
    this.#context ??= await this.#newContext(this.#browser);
    return watched(await this.#context.newPage());
  }

  /** What a guest's browser shows at these paths. */
  async asGuest(paths: readonly string[]): Promise<string> {
    if (this.#browser === null) throw new StepLeftOut("there is no browser");
    const context = await this.#newContext(this.#browser);
    const texts: string[] = [];
    try {
      const page = watched(await context.newPage());
      for (const path of paths) {
        await page.goto(this.at(path));
        await settle(page);
        texts.push(await page.locator("body").innerText());
      }
    } finally {
      await context.close();
    }
    return texts.join("\n");
  }

  /** A browser of its own. Whatever is neither the application's nor Lucchetto's is not asked. */
  async #newContext(browser: Browser): Promise<BrowserContext> {
    const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
    context.setDefaultTimeout(this.deadline);
    await context.route(
      (url) => /^https?:$/.test(url.protocol) && !this.isOurs(url.href),
      (route) => route.abort(),
    );
    return context;
  }

  /** Whether an address is the application's or Lucchetto's: nothing else is asked. */
  isOurs(address: string): boolean {
    const { app, service } = this.addresses;
    return [app, service].some((one) => new URL(one).origin === new URL(address).origin);
  }

  /** A browser that was never here. */
  async forgetBrowser(): Promise<void> {
    await this.#context?.close();
    this.#context = null;
    this.#page = null;
  }

  /** Adds cookies of the application's. */
  async plant(cookies: ReadonlyArray<{ name: string; value: string }>): Promise<void> {
    await this.page();
    const url = this.addresses.app;
    await this.#context?.addCookies(cookies.map(({ name, value }) => ({ name, value, url })));
  }

  /** The application's cookies, as the browser has them. */
  async cookies(): Promise<Cookie[]> {
    return (await this.#context?.cookies(this.addresses.app)) ?? [];
  }

  /** The cookies for an address, as the browser has them. */
  async cookiesOf(address: string): Promise<Cookie[]> {
    return (await this.#context?.cookies(address)) ?? [];
  }

  /** The same browser, signed out everywhere by itself. */
  async clearCookies(): Promise<void> {
    await this.#context?.clearCookies();
  }

  /** Opens an address. @throws StepFailed when it does not load. */
  async open(address: string): Promise<Page> {
    const page = await this.page();
    for (let tries = 1; ; tries += 1) {
      try {
        await page.goto(address);
        await settle(page);
        return page;
      } catch (error) {
        if (tries === MAX_TRIES || !isInterrupted(error))
          throw new StepFailed(`${address} did not load: ${firstLine(error)}`, { cause: error });
      }
    }
  }

  /** Plain HTTP, for a page unless it says otherwise, in the time that an answer may take. */
  ask(address: string, question: Question = {}): Promise<Reply> {
    const headers = { accept: "text/html", ...question.headers };
    return ask(address, { ...question, headers, deadline: this.deadline });
  }

  /** The closed address, asked by a program with these cookies as a browser would. */
  askClosed(cookies: ReadonlyArray<Pick<Cookie, "name" | "value">>): Promise<Reply> {
    const headers: Record<string, string> = cookies.length === 0 ? {} : { cookie: cookieHeader(cookies) };
    return this.ask(this.closedAddress, { headers });
  }

  /** Whether a text is of the closed page. */
  shows(text: string): boolean {
    return this.marker !== null && text.includes(this.marker);
  }

  /** Whether a reply lets somebody in. */
  letsIn({ status, text }: Reply): boolean {
    return this.marker === null || !this.isMarkerSent
      ? status < 300 && text !== this.guestText
      : this.shows(text);
  }

  /** The link in the newest mail to this person that was not there before. @throws StepLeftOut where the mailbox cannot be read. */
  async mailedLink(seen: ReadonlySet<string>, to = this.email): Promise<string> {
    const end = performance.now() + this.deadline;
    for (;;) {
      const found = (await this.mails(to)).find(({ id }) => !seen.has(id));
      if (found !== undefined && found.links[0] === undefined) throw new StepFailed("a mail without a link");
      if (found?.links[0] !== undefined) return found.links[0];
      if (performance.now() > end) throw new StepFailed(`no mail to ${to} within ${this.deadline / 1_000} s`);
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
  }

  async mails(to = this.email): Promise<Array<Open<MailboxItem>>> {
    try {
      const query = { to, limit: 100 };
      return (await this.client(routes.listDevelopmentMailbox, { query })).body.items;
    } catch (error) {
      const why = error instanceof ProblemError ? "it is open in development alone" : firstLine(error);
      throw new StepLeftOut(`Lucchetto's mailbox cannot be read: ${why}`);
    }
  }

  /** Erases the accounts that were made. @returns what is left behind; `null`: nothing. */
  async cleanUp(): Promise<string | null> {
    await this.forgetBrowser();
    const made = this.hasAccount ? [this, ...this.others] : this.others;
    const left: string[] = [];
    for (const one of made) if (!(await this.#erase(one))) left.push(one.email);
    return left.length === 0 ? null : left.join(", ");
  }

  async #erase({ email, password }: { email: string; password: string }): Promise<boolean> {
    try {
      const proof = { type: "password", identifier: email, password } as const;
      let { body } = await this.client(routes.signIn, { body: { proof, deliver: "token" } });
      const [code] = this.recoveryCodes;
      if (body.outcome === "proof-wanted" && body.token !== undefined && code !== undefined) {
        const pending = createClient({ baseUrl: this.addresses.service, token: body.token });
        ({ body } = await pending(routes.addProof, { body: { proof: { type: "recovery-code", code } } }));
      }
      if (body.outcome !== "signed-in" || body.token === undefined) return false;
      await createClient({ baseUrl: this.addresses.service, token: body.token })(routes.eraseOwnAccount);
      return true;
    } catch {
      // Said in the result: this account could not be erased.
      return false;
    }
  }
}

/** A page that hears at this moment that nobody is signed in any more goes elsewhere by itself, before what was asked for came. */
const isInterrupted = (error: unknown): boolean =>
  /net::ERR_ABORTED|interrupted by another navigation/.test(firstLine(error));

export const firstLine = (error: unknown): string => (error as Error).message.split("\n", 1)[0] ?? "";
