/** Forms and controls of a page, known by their autocomplete tokens, types and words. */
import type { Locator, Page } from "playwright-core";
import { StepFailed, StepLeftOut } from "./failed.ts";
import { click } from "./walk.ts";

const CURRENT =
  "input[autocomplete~='current-password'], input[type='password']:not([autocomplete~='new-password'])";
const NEW = "input[autocomplete~='new-password']";
const NAME =
  "input[autocomplete~='username'], input[autocomplete~='email'], input[type='email'], input[name*='user' i], input[name*='login' i], input[name*='mail' i]";
const SUBMIT = "button[type='submit'], input[type='submit'], button:not([type])";

/** Words of controls, in the languages that are likely. */
const WORDS = {
  signOut: /sign.?out|log.?out|esci|disconnet|abmelden|déconne|cerrar sesi/i,
  register: /regist|sign.?up|create.*account|join|iscriv|konto anlegen|inscri/i,
  forgot: /forgot|reset|dimentic|vergessen|oubli|olvid/i,
};

/** Whether a page asks for a password that exists. */
export async function asksForPassword(page: Page): Promise<boolean> {
  return (await page.locator(CURRENT).filter({ visible: true }).count()) > 0;
}

export async function asksForNewPassword(page: Page): Promise<boolean> {
  return (await page.locator(NEW).filter({ visible: true }).count()) > 0;
}

/** Fills the sign-in form of the page and sends it. @throws StepLeftOut where there is none. */
export async function signInOn(page: Page, identifier: string, password: string): Promise<void> {
  const field = page.locator(CURRENT).filter({ visible: true }).first();
  if ((await field.count()) === 0)
    throw new StepLeftOut(`${page.url()} has no sign-in form that was recognised`);
  const form = formOf(page, field);
  await form.locator(NAME).filter({ visible: true }).first().fill(identifier);
  await field.fill(password);
  await send(form, page);
}

/** Fills every field of a registration form and sends it. @throws StepLeftOut where there is none. */
export async function registerOn(page: Page, email: string, password: string): Promise<void> {
  const fields = page.locator(NEW).filter({ visible: true });
  const first = fields.first();
  if ((await first.count()) === 0)
    throw new StepLeftOut(
      `${page.url()} has no registration form that was recognised (autocomplete="new-password")`,
    );
  const form = formOf(page, first);
  const names = form.locator(NAME).filter({ visible: true });
  // A username beside the address is made of the same.
  for (const one of await names.all()) {
    const isAddress = /mail/i.test(await describe(one)) || (await names.count()) === 1;
    await one.fill(isAddress ? email : (email.split("@", 1)[0] ?? email));
  }
  for (const one of await fields.all()) await one.fill(password);
  for (const box of await form.locator("input[type='checkbox'][required]").all()) await box.check();
  await send(form, page);
}

/** Chooses a new password where a page asks for one. */
export async function choosePassword(page: Page, password: string): Promise<void> {
  const fields = page.locator(NEW).filter({ visible: true });
  for (const one of await fields.all()) await one.fill(password);
  await send(formOf(page, fields.first()), page);
}

/** The address field alone, as forgotten passwords are asked for. */
export async function askFor(page: Page, email: string): Promise<void> {
  const field = page.locator(NAME).filter({ visible: true }).first();
  if ((await field.count()) === 0) throw new StepLeftOut(`${page.url()} has no field for an address`);
  await field.fill(email);
  await send(formOf(page, field), page);
}

/** A link or button by what it says; `null` if there is none. */
export async function control(page: Page, kind: keyof typeof WORDS): Promise<Locator | null> {
  const found = page
    .locator("a, button, input[type='submit']")
    .filter({ visible: true })
    .filter({ hasText: WORDS[kind] });
  if ((await found.count()) > 0) return found.first();
  const byValue = page.locator("input[type='submit']").filter({ visible: true });
  for (const one of await byValue.all())
    if (WORDS[kind].test((await one.getAttribute("value")) ?? "")) return one;
  return null;
}

/** Presses it, and waits for what comes. */
export async function press(page: Page, kind: keyof typeof WORDS): Promise<void> {
  const found = await control(page, kind);
  if (found === null) throw new StepLeftOut(`${page.url()} has no control that says so`);
  await click(page, found);
}

/** What a page complains of, as a person sees it; empty if it does not. */
export async function complaintOf(page: Page): Promise<string> {
  const said = page.locator(
    "[role='alert'], [aria-live='assertive'], [data-form-problem], .error, .errors, .alert",
  );
  const texts = new Set((await said.filter({ visible: true }).allInnerTexts()).map((one) => one.trim()));
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

const formOf = (page: Page, field: Locator): Locator => page.locator("form").filter({ has: field }).first();

async function describe(field: Locator): Promise<string> {
  const of = async (name: string): Promise<string> => (await field.getAttribute(name)) ?? "";
  return [await of("autocomplete"), await of("type"), await of("name"), await of("id")].join(" ");
}

async function send(form: Locator, page: Page): Promise<void> {
  const button = form.locator(SUBMIT).filter({ visible: true }).first();
  if ((await button.count()) === 0)
    throw new StepFailed(`${page.url()}: the form has no button that sends it`);
  await click(page, button);
}
