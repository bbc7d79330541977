/** The steps of a walk, in the order in which a person would come to them. */
import type { Page } from "playwright-core";
import { redirectOf } from "./asking.ts";
import { brief } from "./bare.ts";
import { StepFailed, StepLeftOut } from "./failed.ts";
import { click, settle } from "./settle.ts";
import { goOn, isInside, signInAgain, textOf } from "./signing-in.ts";
import type { Step } from "./step.ts";
import { CLOCK_STEPS } from "./steps-clock.ts";
import { FACTOR_STEPS } from "./steps-factors.ts";
import { MAP_STEPS } from "./steps-map.ts";
import type { Walk } from "./walk.ts";
import { cookieHeader } from "./walk.ts";

const ELSEWHERE = "https://elsewhere.example";
const HASP = "hasp/README.md";

/** What only somebody who is signed in sees: the longest line that a guest was not shown; rather one that does not count anything. */
function markerIn(inside: string, outside: string, sent = inside): string | null {
  const linesOf = (text: string): string[] => text.split("\n").map((line) => line.trim());
  const known = new Set(linesOf(outside));
  const lines = linesOf(inside).filter(
    (line) => line.length >= 4 && line.length <= 120 && !known.has(line) && sent.includes(line),
  );
  const steady = lines.filter((line) => !/\d/.test(line));
  const [longest] = (steady.length > 0 ? steady : lines).toSorted(
    (left, right) => right.length - left.length,
  );
  return longest ?? null;
}

const MAX_REDIRECTS = 10;

/** Tries each address that another one hands on as one of an attacker's. @returns the names that were tried. @throws StepFailed. */
async function leadElsewhere(walk: Walk, address: URL): Promise<string[]> {
  const handed = [...address.searchParams].filter(([, value]) => /^(?:\/|https?:)/.test(value));
  for (const [name] of handed) {
    const changed = new URL(address);
    changed.searchParams.set(name, `${ELSEWHERE}/`);
    const leads = redirectOf(await walk.ask(changed.href), changed.href);
    if (leads?.startsWith(ELSEWHERE) === true)
      throw new StepFailed(`${address.origin}${address.pathname} leads to ${ELSEWHERE} if ${name} says so`);
  }
  return handed.map(([name]) => name);
}

/** The application's name at Lucchetto, from where it sends a guest. @throws StepLeftOut where it sends nobody there. */
async function clientIdOf(walk: Walk): Promise<string> {
  let next = walk.signInAddress;
  for (let hops = 0; next !== null && walk.isOurs(next) && hops < MAX_REDIRECTS; hops += 1) {
    const clientId = new URL(next).searchParams.get("client_id");
    if (clientId !== null) return clientId;
    next = redirectOf(await walk.ask(next), next);
  }
  throw new StepLeftOut("no client_id was seen: the application has forms of its own");
}

/** Forgets the password at the closed page. @returns the mailed link. */
async function forget(walk: Walk): Promise<string> {
  const seen = new Set((await walk.mails()).map(({ id }) => id));
  await walk.forgetBrowser();
  const page = await walk.open(walk.closedAddress);
  if (!(await walk.forms.pressAs(page, "forgot", walk.email))) await walk.forms.askFor(page, walk.email);
  return walk.mailedLink(seen);
}

/** Sets a new password by a mailed link, and goes on from there. */
async function resetBy(walk: Walk, link: string): Promise<void> {
  const chosen = `${walk.password} anew`;
  await walk.forms.choosePassword(await walk.open(link), chosen);
  walk.password = chosen;
  await goOn(walk);
}

/** Presses the button of the page on which a mailed link lands, if it has one. */
async function confirmOn(page: Page): Promise<void> {
  const button = page.locator("main button, form button").filter({ visible: true }).first();
  if ((await button.count()) > 0) await click(page, button);
}

/** All of them. */
export const STEPS: readonly Step[] = [
  {
    id: "open-page",
    title: "A guest sees the public page",
    expected: "the page, not a sign-in form",
    remedy: `Leave public pages open: hasp.open() (${HASP}).`,
    needsBrowser: false,
    async try(walk) {
      const { status, text } = await walk.ask(walk.at(walk.addresses.open));
      if (status >= 300) throw new StepFailed(`the status ${status}`);
      if (/type=["']?password/i.test(text)) throw new StepFailed("a form that asks for a password");
      return `${status}, ${text.length} characters`;
    },
  },
  {
    id: "closed-page",
    title: "A guest is turned away from the closed page",
    expected: "401, 403 or a redirect to a sign-in form",
    remedy: `Anybody who knows the address can read it. Close the route: hasp.closed() (${HASP}).`,
    needsBrowser: false,
    async try(walk) {
      const reply = await walk.askClosed([]);
      const { status, text } = reply;
      walk.guestText = text;
      if (status === 401 || status === 403) return `${status}`;
      walk.signInAddress = redirectOf(reply, walk.closedAddress);
      if (walk.signInAddress !== null) return `${status} to ${new URL(walk.signInAddress).origin}`;
      if (/type=["']?password/i.test(text)) return `${status}, with a sign-in form`;
      throw new StepFailed(`${status} with ${text.length} characters and no sign-in form`);
    },
  },
  {
    id: "closed-api",
    title: "A program without credentials is refused",
    expected: "401 or 403, not a page",
    remedy: `A program cannot fill in a form. Answer it with 401 at closed addresses (RFC 9110, section 15.5.2).`,
    needsBrowser: false,
    async try(walk) {
      const { closedApi } = walk.addresses;
      if (closedApi === null) throw new StepLeftOut("no --closed-api given");
      const { status, headers } = await walk.ask(walk.at(closedApi), {
        headers: { accept: "application/json" },
      });
      if (status === 401 || status === 403) return `${status} as ${headers.get("content-type") ?? "nothing"}`;
      throw new StepFailed(`the status ${status}`);
    },
  },
  MAP_STEPS.guest,
  {
    id: "foreign-return",
    title: "Sign-in never redirects to a foreign address",
    expected: "a return address that is not registered, or belongs to another site, is refused",
    remedy:
      "An attacker's link would lead people from your sign-in page to theirs. Compare addresses exactly (RFC 9700, section 4.1), or accept only paths.",
    needsBrowser: false,
    after: ["closed-page"],
    async try(walk) {
      const seen: string[] = [];
      let next = walk.signInAddress;
      for (let hops = 1; next !== null && walk.isOurs(next); hops += 1) {
        if (hops > MAX_REDIRECTS) throw new StepFailed("ten redirects, and no page");
        seen.push(...(await leadElsewhere(walk, new URL(next))));
        next = redirectOf(await walk.ask(next), next);
      }
      if (seen.length === 0) throw new StepLeftOut("no return address is passed");
      return `tried in ${[...new Set(seen)].join(", ")}`;
    },
  },
  {
    id: "register-faults",
    title: "An invalid registration is explained",
    expected: "the form again, with a message at the invalid field, and the input kept",
    remedy:
      "People give up if they are not told what is wrong. Name the field, say how to fix it, and keep what was typed (WCAG 3.3.1).",
    needsBrowser: true,
    async try(walk) {
      const page = await walk.open(walk.closedAddress);
      if (!(await walk.forms.asksForNewPassword(page))) await walk.forms.press(page, "register");
      await walk.forms.registerOn(page, walk.email, "short");
      if (!(await walk.forms.asksForNewPassword(page)))
        throw new StepFailed(`${page.url()}: a password of five characters was accepted`);
      const said = await walk.forms.complaintOf(page);
      if (said === "") throw new StepFailed("the form again, and not a word");
      return brief(said);
    },
  },
  {
    id: "register",
    title: "Registration leads to the requested page",
    expected: "the closed page, after a mail if one is needed",
    remedy: `Remember where people wanted to go and take them there, as the hasp does (${HASP}).`,
    needsBrowser: true,
    async try(walk) {
      const page = await walk.page();
      if (!(await walk.forms.asksForNewPassword(page))) {
        await walk.open(walk.closedAddress);
        if (!(await walk.forms.asksForNewPassword(page))) await walk.forms.press(page, "register");
      }
      // Without a mailbox there are no mails from before.
      const before = new Set((await walk.mails().catch(() => [])).map(({ id }) => id));
      if (!(await walk.forms.asksForNewPassword(page)))
        throw new StepLeftOut("there is no registration form");
      await walk.forms.registerOn(page, walk.email, walk.password);
      walk.hasAccount = true;
      let how = "at once";
      const isByMail = page.url() !== walk.closedAddress && /mail/i.test(await textOf(walk));
      if (isByMail) {
        await walk.open(await walk.mailedLink(before));
        await confirmOn(page);
        await goOn(walk);
        how = "after the mail";
      }
      if (page.url() !== walk.closedAddress)
        throw new StepFailed(`${page.url()} instead of ${walk.closedAddress}`);
      const inside = await textOf(walk);
      const outside = await walk.asGuest([walk.addresses.open, walk.addresses.closed]);
      walk.firstCookies = await walk.cookies();
      const { text } = await walk.askClosed(walk.firstCookies);
      // Rather one that programs see as well: some pages are drawn in the browser.
      walk.marker ??= markerIn(inside, outside, text) ?? markerIn(inside, outside);
      walk.isMarkerSent = walk.marker !== null && text.includes(walk.marker);
      if (walk.marker === null)
        throw new StepFailed(
          "nothing on the closed page tells it from what guests see; name a text with --marker",
        );
      return `${how}; “${walk.marker.slice(0, 60)}” is visible only to members`;
    },
  },
  {
    id: "cookies",
    title: "Cookies are out of reach of scripts and other sites",
    expected: "HttpOnly, SameSite=Lax or Strict, no Domain, and Secure on https",
    remedy:
      "A script in a page, or another site, could use the session. Set the attributes (RFC 6265bis, section 5.7).",
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      const { hostname, protocol } = new URL(walk.addresses.app);
      const faults = walk.firstCookies.flatMap(({ name, httpOnly, sameSite, secure, domain }) => [
        ...(httpOnly ? [] : [`${name} is not HttpOnly`]),
        ...(sameSite === "None" ? [`${name} is SameSite=None`] : []),
        ...(domain === hostname ? [] : [`${name} is for ${domain}`]),
        ...(protocol === "https:" && !secure ? [`${name} is not Secure`] : []),
      ]);
      if (faults.length > 0) throw new StepFailed(faults.join("; "));
      if (walk.firstCookies.length === 0)
        throw new StepFailed("no cookie at all: how does it know who is there?");
      return walk.firstCookies.map(({ name }) => name).join(", ");
    },
  },
  {
    id: "not-kept",
    title: "Browsers do not store the closed page",
    expected: "Cache-Control: no-store",
    remedy: `After signing out, the back button would show it. Send no-store (RFC 9111, section 5.2.2.5), as the hasp does on closed routes (${HASP}).`,
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      const { headers, status } = await walk.askClosed(walk.firstCookies);
      const said = headers.get("cache-control") ?? "nothing";
      if (!/\bno-store\b/i.test(said)) throw new StepFailed(`${status} with Cache-Control: ${said}`);
      return said;
    },
  },
  {
    id: "stays",
    title: "A reload and a second tab stay signed in",
    expected: "the closed page in both",
    remedy: "People reload pages and open tabs. Keep the session in a cookie, not in the page.",
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      const page = await walk.page();
      await page.reload();
      await settle(page);
      if (!(await isInside(walk)))
        throw new StepFailed(`after a reload, ${page.url()} does not show the closed page`);
      const tab = await walk.newTab();
      try {
        await tab.goto(walk.closedAddress);
        await settle(tab);
        if (!walk.shows(await tab.locator("body").innerText()))
          throw new StepFailed(`in a second tab, ${tab.url()} does not show the closed page`);
      } finally {
        await tab.close();
      }
      return "both";
    },
  },
  MAP_STEPS.inside,
  {
    id: "foreign-post",
    title: "Another site cannot sign people out",
    expected: "a form from another site changes nothing",
    remedy:
      "Any page could sign people out, or worse. Change nothing on GET (RFC 9110, section 9.2.1), check Origin and Sec-Fetch-Site, and set SameSite.",
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      const page = await walk.open(walk.closedAddress);
      const found = await walk.forms.control(page, "signOut");
      if (found === null) throw new StepLeftOut("no sign-out button was recognised on the closed page");
      const { action, method } = await found.evaluate((element) => {
        const form = element.closest("form");
        return {
          action: form?.action ?? (element as HTMLAnchorElement).href ?? "",
          method: (form?.method ?? "get").toUpperCase(),
        };
      });
      if (action === "") throw new StepLeftOut("the button sends no form and is not a link");
      const cookies = await walk.cookies();
      // What browsers send along from another site (RFC 6265bis, section 5.6.7.1).
      const sent = cookies.filter(
        ({ sameSite }) => sameSite === "None" || (method !== "POST" && sameSite === "Lax"),
      );
      if (sent.length === 0) return `${method}: browsers send no cookie (SameSite)`;
      const headers = {
        cookie: cookieHeader(sent),
        origin: ELSEWHERE,
        referer: `${ELSEWHERE}/`,
        "sec-fetch-site": "cross-site",
        ...(method === "POST" ? { "content-type": "application/x-www-form-urlencoded" } : {}),
      };
      const { status } = await walk.ask(action, { method, headers, body: method === "POST" ? "" : null });
      if (!walk.letsIn(await walk.askClosed(cookies)))
        throw new StepFailed(
          `${method} ${new URL(action).pathname} from ${ELSEWHERE} was answered with ${status}, and the session had ended`,
        );
      return `${method} answered with ${status}, the session continues`;
    },
  },
  {
    id: "sign-out",
    title: "After signing out the page is closed, with the back button too",
    expected: "neither the address nor the back button shows the closed page",
    remedy: `The page does not check the session, or browsers store it. Check on every request (${HASP}), and send no-store.`,
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      const page = await walk.open(walk.closedAddress);
      if ((await walk.forms.control(page, "signOut")) === null) await walk.open(walk.at(walk.addresses.open));
      await walk.forms.press(page, "signOut");
      // Nothing to go back to: the page shown is looked at.
      await page.goBack().catch(() => null);
      await settle(page);
      if (walk.shows(await textOf(walk))) throw new StepFailed("the back button shows the closed page");
      await walk.open(walk.closedAddress);
      if (await isInside(walk)) throw new StepFailed("the closed page is still open");
      return `${page.url().split("?", 1)[0]} is shown instead`;
    },
  },
  {
    id: "old-cookie",
    title: "The old cookie no longer works",
    expected: "it does not open the closed page",
    remedy:
      "Anybody who copied the cookie stays signed in. End the session on the server, not just in the browser (OWASP ASVS 7.4.1).",
    needsBrowser: true,
    after: ["sign-out"],
    async try(walk) {
      const reply = await walk.askClosed(walk.firstCookies);
      if (walk.letsIn(reply)) throw new StepFailed(`${reply.status}: it still opens the closed page`);
      return `${reply.status}`;
    },
  },
  MAP_STEPS.ended,
  {
    id: "same-refusal",
    title: "A wrong password and an unknown name get the same message",
    expected: "the same message for both",
    remedy: "The difference reveals who has an account (OWASP ASVS 6.3.8). Use one message for both.",
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      const said: string[] = [];
      for (const name of [walk.email, `nobody-${walk.email}`]) {
        await walk.forgetBrowser();
        const page = await walk.open(walk.closedAddress);
        await walk.forms.signInOn(page, name, `not ${walk.password}`);
        if (!(await walk.forms.asksForPassword(page)))
          throw new StepFailed(`${page.url()}: a wrong password was accepted`);
        said.push((await walk.forms.complaintOf(page)).replaceAll(name, "NAME"));
      }
      const [wrong = "", unknown = ""] = said;
      if (wrong !== unknown)
        throw new StepFailed(`“${wrong}” for a wrong password, “${unknown}” for an unknown name`);
      if (wrong === "") throw new StepFailed("not a word for either");
      return brief(wrong);
    },
  },
  {
    id: "sign-in",
    title: "Sign-in returns to the requested page, with a new token",
    expected: "the closed page, with different cookies than in the first session",
    remedy:
      "A token that survives a sign-in can be used by anybody who has ever seen it (OWASP ASVS 7.2.4). Issue a new one at each sign-in.",
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      await walk.forgetBrowser();
      await signInAgain(walk);
      const page = await walk.page();
      if (page.url() !== walk.closedAddress)
        throw new StepFailed(`${page.url()} instead of ${walk.closedAddress}`);
      const before = new Map(walk.firstCookies.map(({ name, value }) => [name, value]));
      const now = await walk.cookies();
      const same = now.filter(
        ({ name, value, httpOnly }) => httpOnly && value.length >= 16 && before.get(name) === value,
      );
      if (same.length > 0)
        throw new StepFailed(
          `${same.map(({ name }) => name).join(", ")} is the same as in the first session`,
        );
      return "the page, and a new token";
    },
  },
  {
    id: "fixation",
    title: "A token planted before sign-in is worthless afterwards",
    expected: "the planted cookie opens nothing",
    remedy:
      "An attacker who plants a cookie would be signed in as their victim. Never keep a token across a sign-in (OWASP ASVS 7.2.4).",
    needsBrowser: true,
    after: ["sign-in"],
    async try(walk) {
      await walk.forgetBrowser();
      // As the application gives it to a guest, or as it was once.
      await walk.open(walk.at(walk.addresses.open));
      const given = (await walk.cookies()).filter(({ httpOnly }) => httpOnly);
      const planted = given.length > 0 ? given : walk.firstCookies;
      await walk.plant(planted);
      await signInAgain(walk);
      const reply = await walk.askClosed(planted);
      if (walk.letsIn(reply))
        throw new StepFailed(
          `${planted.map(({ name }) => name).join(", ")}, planted before, opens the closed page`,
        );
      return `${planted.map(({ name }) => name).join(", ")} planted: ${reply.status}`;
    },
  },
  {
    id: "reset",
    title: "A forgotten password can be reset by mail, and the way leads back",
    expected: "the closed page by links alone; the new password opens it, the old one no longer does",
    remedy:
      "People who cannot get back in will write to you, or stand on a page that leads nowhere. See “The way there and back” in docs/applications.md.",
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      const link = await forget(walk);
      const old = walk.password;
      await resetBy(walk, link);
      await walk.forgetBrowser();
      const again = await walk.open(walk.closedAddress);
      await walk.forms.signInOn(again, walk.email, old);
      if (!(await walk.forms.asksForPassword(again))) throw new StepFailed("the old password still opens it");
      await walk.forgetBrowser();
      await signInAgain(walk);
      return "back at the page, set anew";
    },
  },
  {
    id: "reset-elsewhere",
    title: "A reset on another device leads back too",
    expected: "the closed page by links alone",
    remedy: `Many read their mail on another device. Say where your application begins a sign-in: app change --initiate-login-uri (of the hasp: its /sign-in).`,
    needsBrowser: true,
    after: ["reset"],
    async try(walk) {
      const link = await forget(walk);
      await walk.forgetBrowser();
      await resetBy(walk, link);
      return "the page";
    },
  },
  {
    id: "invite",
    title: "An invitation leads to the page that it names",
    expected: "the closed page by links alone",
    remedy:
      "Whoever is invited knows nothing of your application yet. Name the page (accounts.invite({ page }), or account invite --app), and say where your application begins a sign-in: app change --initiate-login-uri.",
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      if (walk.invite === null)
        throw new StepLeftOut("nobody was named who may invite (the command's --invite)");
      const person = { email: `invited-${walk.email}`, password: walk.password };
      const clientId = await clientIdOf(walk);
      await walk.forgetBrowser();
      await walk.invite({ email: person.email, clientId, page: walk.closedAddress });
      const page = await walk.open(await walk.mailedLink(new Set(), person.email));
      await walk.forms.choosePassword(page, person.password);
      walk.others.push(person);
      await goOn(walk, person);
      return "the page";
    },
  },
  {
    id: "mail-link",
    title: "A mailed link signs in once",
    expected: "the link signs in; a second time it does not",
    remedy: "A link that works twice can be used by anybody who reads the mailbox later. See docs/mail.md.",
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      const seen = new Set((await walk.mails()).map(({ id }) => id));
      await walk.forgetBrowser();
      const page = await walk.open(walk.closedAddress);
      await walk.forms.sayWho(page, walk.email);
      const isAsked = await walk.forms.pressAs(page, "mailLink", walk.email);
      // Some ask for the address only then.
      if (
        !isAsked &&
        (await walk.mails()).every(({ id }) => seen.has(id)) &&
        !(await walk.forms.asksForPassword(page))
      )
        await walk.forms.askFor(page, walk.email).catch(() => undefined);
      const link = await walk.mailedLink(seen);
      await walk.open(link);
      await confirmOn(page);
      await goOn(walk);
      if (!(await isInside(walk))) throw new StepFailed(`after opening it, ${page.url()} is shown`);
      await walk.forgetBrowser();
      const again = await walk.open(link);
      await confirmOn(again);
      await walk.open(walk.closedAddress);
      if (await isInside(walk)) throw new StepFailed("the second time it opened as well");
      return "once";
    },
  },
  ...CLOCK_STEPS,
  ...FACTOR_STEPS,
];
