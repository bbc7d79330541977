/** Forms and controls of a page, known by their autocomplete tokens, types and words; or by what somebody wrote down about them. */
import type { Locator, Page } from "playwright-core";
import { StepFailed, StepLeftOut } from "./failed.ts";
import type { Hints } from "./hints.ts";
import { click } from "./settle.ts";

const CURRENT =
  "input[autocomplete~='current-password'], input[type='password']:not([autocomplete~='new-password'])";
const NEW = "input[autocomplete~='new-password']";
const CODE = "input[autocomplete~='one-time-code']";
const NAME =
  "input[autocomplete~='username'], input[autocomplete~='email'], input[type='email'], input[name*='user' i], input[name*='login' i], input[name*='mail' i]";
const SUBMIT = "button[type='submit'], input[type='submit'], button:not([type])";

/** Words of controls, in the languages that are likely. */
const WORDS = {
  signOut: /sign.?out|log.?out|esci|disconnet|abmelden|déconne|cerrar sesi/i,
  register: /regist|sign.?up|create.*account|join|iscriv|konto anlegen|inscri/i,
  recovery: /recovery|backup.?code|recupero|wiederherstell|récupération|recuperaci/i,
  passkey: /passkey|chiave d.accesso|security key/i,
  mailLink:
    /mail (me )?a|magic.?link|(sign|log).?in.{0,12}link|link.{0,12}mail|mail.{0,12}link|senza password/i,
  /** Leads on, or back to the application. */
  goOn: /continue|go on|sign.?in|log.?in|back to|continua|accedi|torna|weiter|anmelden|zurück/i,
  forgot: /forgot|reset|dimentic|vergessen|oubli|olvid/i,
};

const COMPLAINT = "[role='alert'], [aria-live='assertive'], [data-form-problem], .error, .errors, .alert";

/** Of one application. */
export class Forms {
  readonly #hints: Hints;

  constructor(hints: Hints) {
    this.#hints = hints;
  }

  /** What can be seen of these. */
  #shown(page: Page | Locator, hint: keyof Hints, usual: string): Locator {
    return page.locator(this.#hints[hint] ?? usual).filter({ visible: true });
  }

  /** Whether a page asks for a password that exists. */
  async asksForPassword(page: Page): Promise<boolean> {
    return (await this.#shown(page, "password", CURRENT).count()) > 0;
  }

  async asksForNewPassword(page: Page): Promise<boolean> {
    return (await this.#shown(page, "newPassword", NEW).count()) > 0;
  }

  /** Whether it asks for a code of a second factor. */
  async asksForCode(page: Page): Promise<boolean> {
    return (await this.#shown(page, "code", CODE).count()) > 0;
  }

  /** Fills the sign-in form of the page and sends it. @throws StepLeftOut where there is none. */
  async signInOn(page: Page, identifier: string, password: string): Promise<void> {
    const field = this.#shown(page, "password", CURRENT).first();
    if ((await field.count()) === 0)
      throw new StepLeftOut(`${page.url()} has no recognisable sign-in form (--draft)`);
    const form = formOf(page, field);
    await this.#shown(form, "identifier", NAME).first().fill(identifier);
    await field.fill(password);
    await this.#send(form, page);
  }

  /** Fills every field of a registration form and sends it. @throws StepLeftOut where there is none. */
  async registerOn(page: Page, email: string, password: string): Promise<void> {
    const fields = this.#shown(page, "newPassword", NEW);
    const first = fields.first();
    if ((await first.count()) === 0)
      throw new StepLeftOut(
        `${page.url()} has no recognisable registration form (autocomplete="new-password", or --draft)`,
      );
    const form = formOf(page, first);
    const names = this.#shown(form, "identifier", NAME);
    // A username beside the address is made of the same.
    for (const one of await names.all()) {
      const isAddress = /mail/i.test(await describe(one)) || (await names.count()) === 1;
      await one.fill(isAddress ? email : (email.split("@", 1)[0] ?? email));
    }
    for (const one of await fields.all()) await one.fill(password);
    for (const box of await form.locator("input[type='checkbox'][required]").all()) await box.check();
    await this.#send(form, page);
  }

  /** Chooses a new password where a page asks for one. */
  async choosePassword(page: Page, password: string): Promise<void> {
    const fields = this.#shown(page, "newPassword", NEW);
    for (const one of await fields.all()) await one.fill(password);
    await this.#send(formOf(page, fields.first()), page);
  }

  /** Types who one is, and sends nothing. */
  async sayWho(page: Page, email: string): Promise<void> {
    const field = this.#shown(page, "identifier", NAME).first();
    if ((await field.count()) > 0) await field.fill(email);
  }

  /** The address field alone, as forgotten passwords are asked for. @throws StepLeftOut where there is none. */
  async askFor(page: Page, email: string): Promise<void> {
    const field = this.#shown(page, "identifier", NAME).first();
    if ((await field.count()) === 0) throw new StepLeftOut(`${page.url()} has no field for an address`);
    await field.fill(email);
    await this.#send(formOf(page, field), page);
  }

  /** Types a code, of an authenticator app or a recovery code, and sends it. @throws StepLeftOut where there is no field for it. */
  async typeCode(page: Page, code: string): Promise<void> {
    const field = this.#shown(page, "code", `${CODE}, input[name*='code' i]`).first();
    if ((await field.count()) === 0) throw new StepLeftOut(`${page.url()} has no field for a code`);
    await field.fill(code);
    await this.#send(formOf(page, field), page);
  }

  /** A link or button by what it says; `null` if there is none. */
  async control(page: Page, kind: keyof typeof WORDS): Promise<Locator | null> {
    const hint = this.#hints[kind];
    if (hint !== undefined) {
      const named = page.locator(hint).filter({ visible: true });
      return (await named.count()) > 0 ? named.first() : null;
    }
    // What a page is about comes before the bar around it.
    for (const within of ["main ", ""]) {
      const found = page
        .locator(`${within}:is(a, button, input[type='submit'])`)
        .filter({ visible: true })
        .filter({ hasText: WORDS[kind] });
      if ((await found.count()) > 0) return found.first();
    }
    const byValue = page.locator("input[type='submit']").filter({ visible: true });
    for (const one of await byValue.all())
      if (WORDS[kind].test((await one.getAttribute("value")) ?? "")) return one;
    return null;
  }

  /** Presses it, and waits for what comes. @throws StepLeftOut where there is none. */
  async press(page: Page, kind: keyof typeof WORDS): Promise<void> {
    const found = await this.control(page, kind);
    if (found === null) throw new StepLeftOut(`${page.url()} has no such button or link (--draft)`);
    await click(page, found);
  }

  /**
   * Presses it as somebody of that address: where it sends a form of its own that asks for one, that is filled in before.
   * @returns whether it did; else what comes may ask. @throws StepLeftOut where there is none.
   */
  async pressAs(page: Page, kind: keyof typeof WORDS, email: string): Promise<boolean> {
    const found = await this.control(page, kind);
    if (found === null) throw new StepLeftOut(`${page.url()} has no such button or link (--draft)`);
    const form = found.locator("xpath=ancestor::form");
    const name = this.#shown(form, "identifier", NAME);
    const hasOwn = (await name.count()) > 0 && (await this.#shown(form, "password", CURRENT).count()) === 0;
    if (hasOwn) await name.first().fill(email);
    await click(page, found);
    return hasOwn;
  }

  /** What a page complains of, as a person sees it; empty if it does not. */
  async complaintOf(page: Page): Promise<string> {
    const said = this.#shown(page, "complaint", COMPLAINT);
    const texts = new Set((await said.allInnerTexts()).map((one) => one.trim()));
    for (const field of await page.locator("[aria-invalid='true']").filter({ visible: true }).all())
      for (const id of `${(await field.getAttribute("aria-describedby")) ?? ""} ${(await field.getAttribute("aria-errormessage")) ?? ""}`.split(
        " ",
      ))
        if (id !== "")
          texts.add((await page.locator(`[id=${JSON.stringify(id)}]`).allInnerTexts()).join(" ").trim());
    texts.delete("");
    const all = [...texts];
    // What stands in another one is said already.
    return all.filter((one) => !all.some((other) => other !== one && other.includes(one))).join(" ");
  }

  async #send(form: Locator, page: Page): Promise<void> {
    const button = this.#shown(form, "submit", SUBMIT).first();
    if ((await button.count()) === 0)
      throw new StepFailed(`${page.url()}: the form has no button that sends it`);
    await click(page, button);
  }

  /** A CSS selector of what was recognised as each; `null`: nothing was. Members that this page has nothing of may be left out. */
  async recognised(page: Page): Promise<Partial<Record<keyof Hints, string | null>>> {
    const password = this.#shown(page, "password", CURRENT);
    const fresh = this.#shown(page, "newPassword", NEW);
    const field = (await password.count()) > 0 ? password.first() : fresh.first();
    const form = (await field.count()) > 0 ? formOf(page, field) : null;
    const controls = await Promise.all(
      (Object.keys(WORDS) as Array<keyof typeof WORDS>).map(
        async (kind) => [kind, await selectorOf(await this.control(page, kind))] as const,
      ),
    );
    return {
      identifier: form === null ? null : await selectorOf(this.#shown(form, "identifier", NAME).first()),
      password: await selectorOf(password.first()),
      newPassword: await selectorOf(fresh.first()),
      submit: form === null ? null : await selectorOf(this.#shown(form, "submit", SUBMIT).first()),
      ...Object.fromEntries(controls),
    };
  }
}

const formOf = (page: Page, field: Locator): Locator => page.locator("form").filter({ has: field }).first();

async function describe(field: Locator): Promise<string> {
  const of = async (name: string): Promise<string> => (await field.getAttribute(name)) ?? "";
  return [await of("autocomplete"), await of("type"), await of("name"), await of("id")].join(" ");
}

/** By id or name where there is one, else by what it says. */
async function selectorOf(found: Locator | null): Promise<string | null> {
  if (found === null || (await found.count()) === 0) return null;
  return found.evaluate((element) => {
    const tag = element.tagName.toLowerCase();
    if (element.id !== "") return `#${CSS.escape(element.id)}`;
    for (const name of ["name", "href", "formaction", "value"]) {
      const value = element.getAttribute(name);
      if (value !== null && value !== "" && !value.includes("?"))
        return `${tag}[${name}=${JSON.stringify(value)}]`;
    }
    const form = element.closest("form");
    const action = form?.getAttribute("action") ?? "";
    const text = (element.textContent ?? "").trim();
    const within = action === "" ? "" : `form[action=${JSON.stringify(action)}] `;
    return `${within}${tag}${text === "" ? "" : `:has-text(${JSON.stringify(text)})`}`;
  });
}
