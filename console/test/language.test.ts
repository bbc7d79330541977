import { readFileSync } from "node:fs";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import type { Browser } from "playwright-core";
import { violationsOnTheWay } from "../../testing/axe.ts";
import { openTab, startBrowser } from "../../testing/browser.ts";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { sampleOf } from "../../testing/whole.ts";

let service: TestService;
let browser: Browser;
beforeAll(async () => {
  service = await startShipped({ settings: { LUCCHETTO_SITE_LANGUAGE: "it" } });
  browser = await startBrowser();
});
afterAll(async () => {
  await browser.close();
  await service.stop();
});

describe("a site whose language is Italian", () => {
  test("AC-8 people's pages are in Italian and say so; what is wrong with a field is too", async () => {
    const { context, page, complaints } = await openTab(browser, { locale: "it-IT" });
    await page.goto(`${service.url}/register`);
    await page.waitForSelector("h1 >> text=Registrati");
    expect(await page.getAttribute("html", "lang")).toBe("it");
    expect(await page.textContent("body")).not.toMatch(/\b(Register|Password again|Sign in|characters)\b/);
    await page.fill("[name=email]", "anna@x");
    await page.fill("[name=password]", "passwordpassword");
    await page.fill("[name=repeated]", "passwordpassword");
    await page.waitForSelector("text=Contiene una password molto comune");
    await page.click("main form button[type=submit]");
    await page.waitForSelector("text=Non è un indirizzo e-mail");
    await page.waitForSelector("text=È una delle password che chi indovina prova per prime");
    expect(await violationsOnTheWay(page)).toEqual([]);
    await page.fill("[name=email]", "anna@brina.example");
    for (const name of ["password", "repeated"]) await page.fill(`[name=${name}]`, "cinque rifugi sul lago");
    await page.click("main form button[type=submit]");
    await page.waitForSelector("text=Che cosa sa di te questo sito.");
    await page.click("text=Secondo fattore");
    await page.waitForSelector("button >> text=Configura un’app di autenticazione");
    await page.goto(`${service.url}/sign-out`);
    await page.click("button >> text=Esci");
    await page.waitForURL("**/sign-in*");
    await page.fill("[name=identifier]", "anna@brina.example");
    await page.fill("[name=password]", "sei rifugi sul lago");
    await page.click("main form button[type=submit]");
    await page.waitForSelector("text=Il nome o la password non sono giusti");
    // The console is in English, and says so, whatever the site speaks.
    const { text } = await send(service, "GET", "/console", { headers: { accept: "text/html" } });
    expect(text).toContain('<html lang="en">');
    expect(complaints).toEqual([]);
    await context.close();
  });
});

/** What stands in the texts of both languages, sentence by sentence; what is the same in both is of no use here. */
function sentencesOf(): { en: string[]; it: string[] } {
  const read = (name: string): string =>
    readFileSync(new URL(`../src/texts/${name}.ts`, import.meta.url), "utf8");
  const quoted = (text: string): string[] =>
    [...text.matchAll(/: (?:\([^()]*\) =>\s+)?["`]([^"`{$]{12,}?)[."`{$]/g)].map(
      ([, sentence = ""]) => sentence,
    );
  const [lazyEnglish = "", lazyItalian = ""] = read("lazy-texts").split("const it: typeof en");
  const en = new Set([...quoted(read("en")), ...quoted(lazyEnglish)]);
  const it = new Set([...quoted(read("it")), ...quoted(lazyItalian)]);
  return { en: [...en].filter((one) => !it.has(one)), it: [...it].filter((one) => !en.has(one)) };
}

describe("a site whose people speak two languages", () => {
  const GUESTS = ["/register", "/sign-in", "/sign-in?by=mail", "/forgot", "/link", "/nothing-here"];
  const OWN = [
    "",
    "/details",
    "/email",
    "/password",
    "/sessions",
    "/passkeys",
    "/second-factor",
    "/access-keys",
    "/erase",
  ];
  const ITALIAN = "it-CH, it;q=0.9, en;q=0.5";
  const htmlOf = async (headers: Record<string, string>): Promise<string> =>
    (await send(service, "GET", "/sign-in", { headers: { accept: "text/html", ...headers } })).text;
  const inLanguage = (html: string): string | undefined => /<html lang="(\w+)">/.exec(html)?.[1];

  test("the browser chooses: the first language that pages speak, whatever the region; else the site's", async () => {
    for (const [asked, spoken] of [
      [ITALIAN, "it"],
      ["en-US,en;q=0.9,it;q=0.8", "en"],
      ["de-CH, en;q=0.3, it;q=0.2", "en"],
      ["it;q=0.2, EN-gb;q=0.7", "en"],
      ["fr, *;q=0.1", "it"],
      ["it;q=0, en", "en"],
      [";;;,=", "it"],
    ] as const)
      expect([asked, inLanguage(await htmlOf({ "accept-language": asked }))]).toEqual([asked, spoken]);
    expect(inLanguage(await htmlOf({}))).toBe("it");
  });

  test("AC-8 the account chooses before the browser, until it signs out; what is no language is passed over", async () => {
    const { token } = await service.register("nives@brina.example");
    await service.as(token)(routes.changeOwnAccount, { body: { language: "en" } });
    const proof = { type: "password", identifier: "nives@brina.example", password: PASSWORD };
    const { headers } = await send(service, "POST", "/v1/sign-in", json({ proof }));
    const cookies = headers.getSetCookie();
    const language = cookies.find((one) => one.includes("-language")) ?? "";
    expect(language).toMatch(/=en;.*HttpOnly.*SameSite=Lax/);
    const cookie = cookies.map((one) => one.split(";", 1)[0]).join("; ");
    expect(inLanguage(await htmlOf({ cookie, "accept-language": ITALIAN }))).toBe("en");
    const name = language.split("=", 1)[0] ?? "";
    for (const wrong of ["xx", "", "it%3B", "%00"])
      expect(inLanguage(await htmlOf({ cookie: `${name}=${wrong}`, "accept-language": "en" }))).toBe("en");
    const own = { cookie, origin: service.url };
    const changed = await send(service, "PATCH", "/v1/account", {
      body: JSON.stringify({ language: null }),
      headers: { ...own, "content-type": "application/json" },
    });
    expect(changed.headers.getSetCookie().join()).toContain(`${name}=; Max-Age=0`);
    // However a session ends here: by its sign-out, from its list, with its account.
    for (const end of ["/v1/session", "/v1/sessions/{id}", "/v1/account"]) {
      const begun = await send(service, "POST", "/v1/sign-in", json({ proof }));
      const { session } = begun.json<{ session: { id: string } }>();
      const held = [`${name}=en`, ...begun.headers.getSetCookie().map((one) => one.split(";", 1)[0])].join(
        "; ",
      );
      const ended = await send(service, "DELETE", end.replace("{id}", session.id), {
        headers: { cookie: held, origin: service.url },
      });
      expect([end, ended.status]).toEqual([end, 204]);
      expect(ended.headers.getSetCookie().join()).toContain(`${name}=; Max-Age=0`);
    }
  });

  test.each(
    sampleOf(
      [
        ["it", "en"],
        ["en", "it"],
      ] as const,
      1,
    ),
  )("AC-8 every page is in %s for whoever prefers it, and nothing on it in %s", async (spoken, foreign) => {
    const { [foreign]: sentences } = sentencesOf();
    expect(sentences.length).toBeGreaterThan(200);
    const { context, page } = await openTab(browser, { locale: spoken === "it" ? "it-CH" : "en-GB" });
    const look = async (path: string): Promise<void> => {
      await page.goto(service.url + path);
      await page.waitForSelector("h1");
      expect([path, await page.getAttribute("html", "lang")]).toEqual([path, spoken]);
      const text = await page.innerText("main, body");
      expect([path, sentences.filter((one) => text.includes(one))]).toEqual([path, []]);
    };
    for (const path of GUESTS) await look(path);
    const email = `ugo.${spoken}@brina.example`;
    await page.goto(`${service.url}/register`);
    await page.fill("[name=email]", email);
    for (const name of ["password", "repeated"]) await page.fill(`[name=${name}]`, "cinque rifugi sul lago");
    await page.click("main form button[type=submit]");
    await page.waitForURL(`${service.url}/account`);
    for (const path of OWN) await look(`/account${path}`);
    await look("/sign-out");
    // Mails follow the page on which somebody registered.
    const [{ language }] = await service.dataSource.query("SELECT language FROM account WHERE email = ?", [
      email,
    ]);
    expect(language).toBe(spoken === "it" ? null : "en");
    await context.close();
  });
});
