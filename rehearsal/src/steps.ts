/** The steps of a walk, in the order in which a person would come to them. */
import type { Page } from "playwright-core";
import { redirectOf } from "./asking.ts";
import { brief } from "./bare.ts";
import { StepFailed, StepLeftOut } from "./failed.ts";
import { click, settle } from "./settle.ts";
import { isInside, signInAgain, textOf } from "./signing-in.ts";
import type { Step } from "./step.ts";
import { CLOCK_STEPS } from "./steps-clock.ts";
import { FACTOR_STEPS } from "./steps-factors.ts";
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

const MOST_REDIRECTS = 10;

/** Tries each address that another one hands on as one of an attacker's. @returns the names that were tried. @throws StepFailed. */
async function leadElsewhere(walk: Walk, address: URL): Promise<string[]> {
  const handed = [...address.searchParams].filter(([, value]) => /^(?:\/|https?:)/.test(value));
  for (const [name] of handed) {
    const changed = new URL(address);
    changed.searchParams.set(name, `${ELSEWHERE}/`);
    const leads = redirectOf(await walk.ask(changed.href), changed.href);
    if (leads?.startsWith(ELSEWHERE) === true)
      throw new StepFailed(`${address.origin}${address.pathname} leads to ${ELSEWHERE} when ${name} says so`);
  }
  return handed.map(([name]) => name);
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
    title: "A guest sees the page for all",
    expected: "the page, and no sign-in form in its place",
    mend: `Pages for all are open: hasp.open() (${HASP}).`,
    needsBrowser: false,
    async try(walk) {
      const { status, text } = await walk.ask(walk.at(walk.addresses.open));
      if (status >= 300) throw new StepFailed(`the status ${status}`);
      if (/type=["']?password/i.test(text)) throw new StepFailed("a form that asks for a password");
      return `${status}, ${text.length} letters`;
    },
  },
  {
    id: "closed-page",
    title: "A guest is turned away from the closed page",
    expected: "401 or 403, or the way to a sign-in form",
    mend: `Everybody who knows the address reads it. Close the route: hasp.closed() (${HASP}).`,
    needsBrowser: false,
    async try(walk) {
      const reply = await walk.askClosed([]);
      const { status, text } = reply;
      walk.guestText = text;
      if (status === 401 || status === 403) return `${status}`;
      walk.signInAddress = redirectOf(reply, walk.closedAddress);
      if (walk.signInAddress !== null) return `${status} to ${new URL(walk.signInAddress).origin}`;
      if (/type=["']?password/i.test(text)) return `${status}, with a sign-in form`;
      throw new StepFailed(`${status} with ${text.length} letters and no sign-in form`);
    },
  },
  {
    id: "closed-api",
    title: "A program that nobody signed in is refused",
    expected: "401 or 403, and no page",
    mend: `A program cannot fill a form: closed addresses answer it with 401 (RFC 9110, section 15.5.2).`,
    needsBrowser: false,
    async try(walk) {
      const { closedApi } = walk.addresses;
      if (closedApi === null) throw new StepLeftOut("no --closed-api was named");
      const { status, headers } = await walk.ask(walk.at(closedApi), {
        headers: { accept: "application/json" },
      });
      if (status === 401 || status === 403) return `${status} as ${headers.get("content-type") ?? "nothing"}`;
      throw new StepFailed(`the status ${status}`);
    },
  },
  {
    id: "foreign-return",
    title: "Nobody is led to a foreign address after signing in",
    expected: "a return address that is not registered, or not the application's own, is refused",
    mend: "A link of an attacker's would lead people from your sign-in page to theirs. Compare the address exactly (RFC 9700, section 4.1), or take paths alone.",
    needsBrowser: false,
    after: ["closed-page"],
    async try(walk) {
      const seen: string[] = [];
      let next = walk.signInAddress;
      for (let hops = 1; next !== null && walk.isOurs(next); hops += 1) {
        if (hops > MOST_REDIRECTS) throw new StepFailed("ten redirects, and no page");
        seen.push(...(await leadElsewhere(walk, new URL(next))));
        next = redirectOf(await walk.ask(next), next);
      }
      if (seen.length === 0) throw new StepLeftOut("no address is handed on");
      return `tried in ${[...new Set(seen)].join(", ")}`;
    },
  },
  {
    id: "register-faults",
    title: "A registration with faults says what is wrong",
    expected: "the form again, with a word at what is wrong, and what was typed",
    mend: "People who are not told what is wrong give up. Name the field and the mend; keep what was typed (WCAG 3.3.1).",
    needsBrowser: true,
    async try(walk) {
      const page = await walk.open(walk.closedAddress);
      if (!(await walk.forms.asksForNewPassword(page))) await walk.forms.press(page, "register");
      await walk.forms.registerOn(page, walk.email, "short");
      if (!(await walk.forms.asksForNewPassword(page)))
        throw new StepFailed(`${page.url()}: a password of five letters was taken`);
      const said = await walk.forms.complaintOf(page);
      if (said === "") throw new StepFailed("the form again, and not a word");
      return brief(said);
    },
  },
  {
    id: "register",
    title: "Registering leads to the page that was wanted",
    expected: "the closed page, where necessary after a mail was opened",
    mend: `Remember where somebody wanted to go, and lead them there: the hasp does (${HASP}).`,
    needsBrowser: true,
    async try(walk) {
      const page = await walk.page();
      if (!(await walk.forms.asksForNewPassword(page))) {
        await walk.open(walk.closedAddress);
        if (!(await walk.forms.asksForNewPassword(page))) await walk.forms.press(page, "register");
      }
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
        await walk.open(walk.closedAddress);
        if (await walk.forms.asksForPassword(page))
          await walk.forms.signInOn(page, walk.email, walk.password);
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
      return `${how}; “${walk.marker.slice(0, 60)}” is what only members see`;
    },
  },
  {
    id: "cookies",
    title: "The application's cookies are kept from scripts and other sites",
    expected: "HttpOnly, SameSite=Lax or Strict, no Domain, Secure where it is https",
    mend: "A script in a page, or another site, could use the session. Set the attributes (RFC 6265bis, section 5.7).",
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
    title: "The closed page is not kept by browsers",
    expected: "Cache-Control: no-store",
    mend: `After signing out the back button would show it. Say no-store (RFC 9111, section 5.2.2.5); the hasp does on closed routes (${HASP}).`,
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
    title: "A reload and a second tab still know who is there",
    expected: "the closed page in both",
    mend: "People reload and open tabs. Keep who they are in a cookie, not in the page.",
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      const page = await walk.page();
      await page.reload();
      await settle(page);
      if (!(await isInside(walk))) throw new StepFailed(`after a reload ${page.url()} shows no closed page`);
      const tab = await walk.newTab();
      try {
        await tab.goto(walk.closedAddress);
        await settle(tab);
        if (!walk.shows(await tab.locator("body").innerText()))
          throw new StepFailed(`in a second tab ${tab.url()} shows no closed page`);
      } finally {
        await tab.close();
      }
      return "both";
    },
  },
  {
    id: "foreign-post",
    title: "Another site cannot press the sign-out button",
    expected: "a form that comes from elsewhere changes nothing",
    mend: "Any page could sign people out, and more. Change nothing by a link (RFC 9110, section 9.2.1); look at Origin and Sec-Fetch-Site, and set SameSite.",
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      const page = await walk.open(walk.closedAddress);
      const found = await walk.forms.control(page, "signOut");
      if (found === null) throw new StepLeftOut("no sign-out control was recognised on the closed page");
      const { action, method } = await found.evaluate((element) => {
        const form = element.closest("form");
        return {
          action: form?.action ?? (element as HTMLAnchorElement).href ?? "",
          method: (form?.method ?? "get").toUpperCase(),
        };
      });
      if (action === "") throw new StepLeftOut("the control sends no form and is no link");
      const cookies = await walk.cookies();
      // What browsers send along from another site (RFC 6265bis, section 5.6.7.1).
      const sent = cookies.filter(
        ({ sameSite }) => sameSite === "None" || (method !== "POST" && sameSite === "Lax"),
      );
      if (sent.length === 0) return `${method}: browsers send no cookie along (SameSite)`;
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
          `${method} ${new URL(action).pathname} from ${ELSEWHERE} was answered ${status}, and the session was over`,
        );
      return `${method} answered ${status}, the session holds`;
    },
  },
  {
    id: "sign-out",
    title: "Signing out closes the page, the back button included",
    expected: "neither the address nor the back button shows the closed page",
    mend: `The page forgets to ask who is there, or browsers keep it. Ask at each request (${HASP}), and say no-store.`,
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      const page = await walk.open(walk.closedAddress);
      if ((await walk.forms.control(page, "signOut")) === null) await walk.open(walk.at(walk.addresses.open));
      await walk.forms.press(page, "signOut");
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
    title: "The cookie of before is dead",
    expected: "the closed page is closed to it",
    mend: "Whoever copied the cookie stays in for ever. End the session on the server, not in the browser alone (OWASP ASVS 7.4.1).",
    needsBrowser: true,
    after: ["sign-out"],
    async try(walk) {
      const reply = await walk.askClosed(walk.firstCookies);
      if (walk.letsIn(reply)) throw new StepFailed(`${reply.status}: it still opens the closed page`);
      return `${reply.status}`;
    },
  },
  {
    id: "same-refusal",
    title: "A wrong password and an unknown name are refused alike",
    expected: "the same words for both",
    mend: "The difference tells anybody who has an account (OWASP ASVS 6.3.8). Say one sentence for both.",
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      const said: string[] = [];
      for (const name of [walk.email, `nobody-${walk.email}`]) {
        await walk.forgetBrowser();
        const page = await walk.open(walk.closedAddress);
        await walk.forms.signInOn(page, name, `not ${walk.password}`);
        if (!(await walk.forms.asksForPassword(page)))
          throw new StepFailed(`${page.url()}: a wrong password got on`);
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
    title: "Signing in returns to the page that was wanted, with a new token",
    expected: "the closed page, and other cookies than in the first session",
    mend: "A token that outlives a sign-in serves whoever saw it once (OWASP ASVS 7.2.4). Make a new one at each sign-in.",
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
        throw new StepFailed(`${same.map(({ name }) => name).join(", ")} is as it was in the first session`);
      return "the page, and a new token";
    },
  },
  {
    id: "fixation",
    title: "A token planted before signing in is worth nothing afterwards",
    expected: "the planted cookie opens nothing",
    mend: "Somebody who plants a cookie would be signed in with their victim. Never keep a token over a sign-in (OWASP ASVS 7.2.4).",
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
    title: "A forgotten password is set anew through the mailbox",
    expected: "the new password opens the page, the old one does not",
    mend: "People who cannot come back write to you. See docs/mail.md.",
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      const seen = new Set((await walk.mails()).map(({ id }) => id));
      await walk.forgetBrowser();
      const page = await walk.open(walk.closedAddress);
      await walk.forms.press(page, "forgot");
      await walk.forms.askFor(page, walk.email);
      await walk.open(await walk.mailedLink(seen));
      const old = walk.password;
      const chosen = `${old} anew`;
      await walk.forms.choosePassword(page, chosen);
      walk.password = chosen;
      await walk.forgetBrowser();
      const again = await walk.open(walk.closedAddress);
      await walk.forms.signInOn(again, walk.email, old);
      if (!(await walk.forms.asksForPassword(again))) throw new StepFailed("the old password still opens it");
      await walk.forgetBrowser();
      await signInAgain(walk);
      return "set anew";
    },
  },
  {
    id: "mail-link",
    title: "A mailed link signs in, once",
    expected: "the link of the mail leads in; used again it does not",
    mend: "A link that works twice serves whoever reads the mailbox later. See docs/mail.md.",
    needsBrowser: true,
    after: ["register"],
    async try(walk) {
      const seen = new Set((await walk.mails()).map(({ id }) => id));
      await walk.forgetBrowser();
      const page = await walk.open(walk.closedAddress);
      await walk.forms.sayWho(page, walk.email);
      await walk.forms.press(page, "mailLink");
      // Some ask for the address only then.
      if ((await walk.mails()).every(({ id }) => seen.has(id)) && !(await walk.forms.asksForPassword(page)))
        await walk.forms.askFor(page, walk.email).catch(() => undefined);
      const link = await walk.mailedLink(seen);
      await walk.open(link);
      await confirmOn(page);
      await walk.open(walk.closedAddress);
      if (!(await isInside(walk))) throw new StepFailed(`after opening it ${page.url()} is shown`);
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
