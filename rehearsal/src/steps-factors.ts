/** Steps of a walk with second factors, on Lucchetto's own pages and through the application's sign-in. */
import type { Page } from "playwright-core";
import { authenticatorApp } from "./authenticator-app.ts";
import { brief } from "./bare.ts";
import { StepFailed, StepLeftOut } from "./failed.ts";
import { serviceTime } from "./moved-clock.ts";
import { click, settle } from "./settle.ts";
import { freshCode, isInside, signInAgain } from "./signing-in.ts";
import type { Step } from "./step.ts";
import type { Walk } from "./walk.ts";
import { cookieHeader } from "./walk.ts";

const PASSKEYS = "docs/passkeys.md";

/** Opens a page of the account at Lucchetto. @throws StepLeftOut where the application keeps its accounts elsewhere. */
async function openAccount(walk: Walk, path: string) {
  // Codes count by its time.
  await serviceTime(walk.client);
  const page = await walk.open(`${walk.addresses.service.replace(/\/$/, "")}${path}`);
  // A session that was begun in a form of the application's own is none here.
  if (await walk.forms.asksForPassword(page)) {
    await walk.forms.signInOn(page, walk.email, walk.password);
    if (await walk.forms.asksForCode(page)) await typeSecondFactor(walk, page);
  }
  if (!page.url().includes(path)) throw new StepLeftOut("the account does not belong to Lucchetto");
  return page;
}

/** Signs in by password, up to where a code is wanted. @throws StepFailed where none is. */
async function signInToCode(walk: Walk) {
  await walk.forgetBrowser();
  const page = await walk.open(walk.closedAddress);
  await walk.forms.signInOn(page, walk.email, walk.password);
  if (!(await walk.forms.asksForCode(page))) throw new StepFailed(`the password alone led to ${page.url()}`);
  return page;
}

/** Where one field does not take both kinds. */
async function takeRecoveryCodes({ forms }: Walk, page: Page): Promise<void> {
  if ((await forms.control(page, "recovery")) !== null) await forms.press(page, "recovery");
}

export const FACTOR_STEPS: readonly Step[] = [
  {
    id: "level-wanted",
    title: "A password alone does not open a page that requires a second factor",
    expected: "a request for the second factor instead of the page",
    remedy: "Anybody with the password can read it. Use closed({ level: 2 }) (hasp/README.md, RFC 9470).",
    needsBrowser: true,
    after: ["sign-in"],
    async try(walk) {
      const { closedLevel2 } = walk.addresses;
      if (closedLevel2 === null) throw new StepLeftOut("no --closed-level2 given");
      await walk.forgetBrowser();
      await signInAgain(walk);
      const headers = { cookie: cookieHeader(await walk.cookies()) };
      const { status, text } = await walk.ask(walk.at(closedLevel2), { headers });
      // A form for a code in its place is as good as the way to one.
      if (status < 300 && !/autocomplete=["']?one-time-code/i.test(text))
        throw new StepFailed(`${status} with ${text.length} characters`);
      return `${status}`;
    },
  },
  {
    id: "totp",
    title: "An authenticator app is set up; its codes are required, and work once",
    expected: "a code is requested after the password; a used one is refused; a fresh one opens the page",
    remedy: `A code that works twice can be used by anybody who saw it (RFC 6238, section 5.2). See ${PASSKEYS}.`,
    needsBrowser: true,
    after: ["sign-in"],
    async try(walk) {
      await walk.forgetBrowser();
      await signInAgain(walk);
      const page = await openAccount(walk, "/account/second-factor");
      await click(page, page.locator("main form button[type='submit']").first());
      if (await walk.forms.asksForPassword(page)) {
        await page.locator("main input[type='password']").first().fill(walk.password);
        await click(page, page.locator("main form button[type='submit']").first());
      }
      const uri = await page.locator("a[href^='otpauth:']").first().getAttribute("href");
      if (uri === null) throw new StepFailed(`${page.url()} shows no key for an authenticator app`);
      walk.authenticator = authenticatorApp(uri);
      const used = await freshCode(walk);
      await walk.forms.typeCode(page, used);
      walk.recoveryCodes = (await page.locator("main li code").allInnerTexts()).map((one) => one.trim());
      if (walk.recoveryCodes.length === 0) throw new StepFailed("it was set up without recovery codes");

      const again = await signInToCode(walk);
      await walk.forms.typeCode(again, used);
      if (!(await walk.forms.asksForCode(again))) throw new StepFailed(`a used code led to ${again.url()}`);
      const said = await walk.forms.complaintOf(again);
      await walk.forms.typeCode(again, await freshCode(walk));
      if (!(await isInside(walk))) throw new StepFailed(`a fresh code led to ${again.url()}`);
      const { closedLevel2 } = walk.addresses;
      if (closedLevel2 !== null) {
        await walk.open(walk.at(closedLevel2));
        if (!again.url().startsWith(walk.at(closedLevel2)))
          throw new StepFailed(`with a second factor, ${closedLevel2} leads to ${again.url()}`);
      }
      return `used code: ${brief(said)}`;
    },
  },
  {
    id: "recovery-code",
    title: "A recovery code works once",
    expected: "it opens the page the first time and is refused the second time",
    remedy: `Anybody who finds the paper could always get in. Invalidate each code when it is used. See ${PASSKEYS}.`,
    needsBrowser: true,
    after: ["totp"],
    async try(walk) {
      const code = walk.recoveryCodes.shift();
      if (code === undefined) throw new StepLeftOut("there is no recovery code");
      const page = await signInToCode(walk);
      await takeRecoveryCodes(walk, page);
      await walk.forms.typeCode(page, code);
      if (!(await isInside(walk))) throw new StepFailed(`it led to ${page.url()}`);
      const again = await signInToCode(walk);
      await takeRecoveryCodes(walk, again);
      await walk.forms.typeCode(again, code);
      if (await isInside(walk)) throw new StepFailed("the second time it opened as well");
      walk.recoveryCodesWork = true;
      return brief(await walk.forms.complaintOf(again)) || `${again.url()} is shown instead`;
    },
  },
  {
    id: "passkey",
    title: "A passkey is added, and signs in on its own",
    expected: "the closed page, without password or code",
    remedy: `If passkeys do not work, people go back to passwords. See ${PASSKEYS}.`,
    needsBrowser: true,
    after: ["totp"],
    async try(walk) {
      // In a browser of its own, whose device stays plugged in while its cookies go.
      await walk.forgetBrowser();
      const page = await walk.page();
      await plugIn(walk);
      await walk.open(walk.closedAddress);
      await walk.forms.signInOn(page, walk.email, walk.password);
      await typeSecondFactor(walk, page);
      const before = await openAccount(walk, "/account/passkeys");
      const adding = before.locator("main form button[type='submit'], main button").first();
      await click(page, adding);
      await walk.clearCookies();
      await walk.open(walk.closedAddress);
      // Where the form offers passkeys while somebody types, a device that asks nobody has signed in already.
      if (!(await isInside(walk))) await walk.forms.press(page, "passkey");
      await settle(page);
      if (!(await isInside(walk)))
        throw new StepFailed(
          `${page.url()}: ${(await walk.forms.complaintOf(page)) || "not the requested page"}`,
        );
      return "no password, no code";
    },
  },
];

/** A recovery code where they are known to work: a third code of the app would have to be waited for. */
async function typeSecondFactor(walk: Walk, page: Page): Promise<void> {
  const recoveryCode = walk.recoveryCodesWork ? walk.recoveryCodes.shift() : undefined;
  if (recoveryCode !== undefined) await takeRecoveryCodes(walk, page);
  await walk.forms.typeCode(page, recoveryCode ?? (await freshCode(walk)));
}

/** A device that makes passkeys, verifies its person by itself, and asks nobody. */
async function plugIn(walk: Walk): Promise<void> {
  const page = await walk.page();
  const cdp = await page.context().newCDPSession(page);
  await cdp.send("WebAuthn.enable");
  await cdp.send("WebAuthn.addVirtualAuthenticator", {
    options: {
      protocol: "ctap2",
      transport: "internal",
      hasResidentKey: true,
      hasUserVerification: true,
      isUserVerified: true,
      automaticPresenceSimulation: true,
    },
  });
}
