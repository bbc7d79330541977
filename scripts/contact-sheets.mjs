#!/usr/bin/env node
/**
 * Draws two sheets into docs/screenshots from the running demo: every mail, and every state of the page on which mailed
 * links land. It really registers, invites, asks and clicks; the people are made up anew at each run.
 */
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { readKeyUri, totp } from "@lucchetto/core";
import { startBrowser } from "@lucchetto/rehearsal";
import { ROOT } from "./prerequisites.mjs";
import { run, say } from "./say.mjs";

const FOLDER = join(ROOT, "docs", "screenshots");
const PASSWORD = "moss on the north side";
const NEW_PASSWORD = "lichen on the south side";
const MINUTE = 60_000;

await run(async () => {
  const { url, operator } = JSON.parse(readFileSync(join(ROOT, ".lucchetto", "demo.json"), "utf8"));
  const browser = await startBrowser();
  const stamp = Date.now().toString(36);
  const at = (name) => `${name}.${stamp}@brina.example`;

  const call = async (method, path, { body, token } = {}) => {
    const reply = await fetch(url + path, {
      method,
      headers: {
        ...(body === undefined ? {} : { "content-type": "application/json" }),
        ...(token === undefined ? {} : { authorization: `Bearer ${token}` }),
      },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
    const text = await reply.text();
    return text === "" ? null : JSON.parse(text);
  };
  const mailTo = async (to, template) => {
    for (let looked = 0; looked < 100; looked += 1) {
      const { items } = await call("GET", "/v1/development/mailbox?limit=100");
      const found = items.find((one) => one.to === to && one.template === template);
      if (found !== undefined) return found;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    throw new Error(`no mail ${template} to ${to}`);
  };
  const register = (email, more = {}) =>
    call("POST", "/v1/accounts", { body: { email, password: PASSWORD, deliver: "token", ...more } });
  const signIn = async (identifier, password = PASSWORD) => {
    const proof = { type: "password", identifier, password };
    return (await call("POST", "/v1/sign-in", { body: { proof, deliver: "token" } })).token;
  };
  const ask = (purpose, identifier) =>
    call("POST", "/v1/mail-links", { body: { purpose, identifier, deliver: "token" } });
  const secretOf = ({ links }) => new URL(links[0]).hash.slice(1);
  const redeem = async (mail, more = {}, token = undefined) =>
    call("POST", "/v1/mail-links/redeem", { token, body: { secret: secretOf(mail), ...more } });

  const landings = [];
  const context = await browser.newContext({ viewport: { width: 460, height: 700 } });
  /** Opens a link as whoever got it, and keeps a picture of what is there. */
  const land = async (name, href, { dark = false, before } = {}) => {
    const page = await context.newPage();
    await page.emulateMedia({ colorScheme: dark ? "dark" : "light" });
    await page.goto(href);
    await page.waitForFunction(
      () => !["", "One moment …"].includes(globalThis.document.querySelector("h1")?.textContent ?? ""),
    );
    await before?.(page);
    await page.waitForTimeout(250);
    landings.push({ name, picture: await page.screenshot() });
    await page.close();
  };

  const [anna, bruno, carla, invited] = ["anna", "bruno", "carla", "gino"].map(at);
  await register(anna, { language: "en" });
  const verify = await mailTo(anna, "verify");
  await land("verify, another browser", verify.links[0]);
  await land("verify, a new password", verify.links[0], {
    before: (page) => page.click("button >> text=choose a new one"),
  });
  await redeem(verify, { present: PASSWORD });
  await land("used", verify.links[0]);
  await ask("reset", anna);
  const reset = await mailTo(anna, "reset");
  await land("reset", reset.links[0]);
  await redeem(reset, { password: NEW_PASSWORD });
  await mailTo(anna, "password-reset");
  await ask("sign-in", anna);
  const elsewhere = await mailTo(anna, "sign-in");
  await land("sign-in, another browser", elsewhere.links[0], { dark: true });
  await land("sign-in, the code", elsewhere.links[0], {
    dark: true,
    before: async (page) => {
      await page.click("button[type=submit]");
      await page.waitForSelector("p[role=status]");
    },
  });
  await register(bruno, { language: "it" });
  await redeem(await mailTo(bruno, "verify"), { present: PASSWORD });
  const page = await context.newPage();
  await page.goto(`${url}/sign-in`);
  await page.fill("#identifier", bruno);
  await page.click("text=Mail me a link instead");
  await page.waitForSelector("#code");
  landings.push({ name: "the browser that waits", picture: await page.screenshot() });
  await land("sign-in, the same browser", (await mailTo(bruno, "sign-in")).links[0], {
    before: async (one) => {
      landings.push({ name: "sign-in, the same browser", picture: await one.screenshot() });
      await one.click("button[type=submit]");
      await one.waitForURL(`${url}/account`);
      await one.waitForSelector("dl");
    },
  });
  landings.at(-1).name = "and in";
  await mailTo(bruno, "new-sign-in");
  const token = await signIn(bruno);
  await call("POST", "/v1/account/password", { token, body: { present: PASSWORD, password: NEW_PASSWORD } });
  await mailTo(bruno, "password-changed");
  await register(carla);
  await redeem(await mailTo(carla, "verify"), { present: PASSWORD });
  const session = await signIn(carla);
  await call("POST", "/v1/account/email", { token: session, body: { email: at("carla.new") } });
  const change = await mailTo(at("carla.new"), "change-email");
  await land("change-email, another browser", change.links[0]);
  await redeem(change, {}, session);
  const undo = await mailTo(carla, "email-changed");
  await land("undo-change, another browser", undo.links[0]);
  await redeem(undo, { password: NEW_PASSWORD, present: PASSWORD });
  await mailTo(carla, "email-restored");
  const office = await signIn(operator.email, operator.password);
  await call("POST", "/v1/operator/invitations", {
    token: office,
    body: { email: invited, displayName: "Gino" },
  });
  const invite = await mailTo(invited, "invite");
  await land("invite", invite.links[0]);
  await redeem(invite, { password: NEW_PASSWORD });
  await mailTo(invited, "invitation-accepted");
  await waysBack();
  await ask("reset", bruno);
  const expired = await mailTo(bruno, "reset");
  await call("POST", "/v1/development/clock", { body: { milliseconds: 31 * MINUTE } });
  await land("expired", expired.links[0]);
  await call("DELETE", "/v1/development/clock");
  await land("unknown", `${url}/link#lcl_${"x".repeat(43)}`);

  const { items } = await call("GET", "/v1/development/mailbox?limit=100");
  const mails = [];
  for (const template of [...new Set(items.map((one) => one.template))]) {
    const mail = items.find((one) => one.template === template);
    const sheet = await browser.newPage({
      viewport: { width: 600, height: 560 },
      colorScheme: mails.length % 3 === 2 ? "dark" : "light",
    });
    await sheet.goto(`${url}/mailbox/${mail.id}.html`);
    mails.push({ name: `${template} (${mail.language})`, picture: await sheet.screenshot() });
    await sheet.close();
  }
  await draw("mails", mails, 300);
  await draw("landings", landings, 230);
  await browser.close();

  /** A second factor added and undone, an account closed and kept, a mailed proof, and what an operator does for others. */
  async function waysBack() {
    const dora = at("dora");
    await register(dora, { language: "it" });
    await redeem(await mailTo(dora, "verify"), { present: PASSWORD });
    const own = await signIn(dora);
    const begun = await call("POST", "/v1/account/totp", { token: own, body: {} });
    const { secret, settings } = readKeyUri(begun.uri);
    const code = totp(secret, new Date(), settings);
    const activated = await call("POST", `/v1/account/totp/${begun.id}/activate`, {
      token: own,
      body: { code },
    });
    await call("POST", "/v1/account/recovery-codes", { token: activated.token, body: undefined });
    await mailTo(dora, "recovery-codes-made");
    await call("DELETE", `/v1/account/totp/${begun.id}`, { token: activated.token });
    const removed = await mailTo(dora, "second-factor-removed");
    await land("undo-factor, another browser", removed.links[0]);
    await redeem(removed, { password: NEW_PASSWORD, present: PASSWORD });
    await mailTo(dora, "second-factor-restored");
    const elio = at("elio");
    const { account } = await register(elio);
    await redeem(await mailTo(elio, "verify"), { present: PASSWORD });
    // The session in which he registered ended with the proof.
    await call("DELETE", "/v1/account", { token: await signIn(elio) });
    const closed = await mailTo(elio, "account-closed");
    await land("undo-erase, another browser", closed.links[0]);
    await redeem(closed, { present: PASSWORD });
    await mailTo(elio, "account-reopened");
    const help = (path, body) =>
      call("POST", `/v1/operator/accounts/${account.id}/${path}`, {
        token: office,
        body: { reason: "showed his card at the counter", ...body },
      });
    await call("PATCH", `/v1/operator/accounts/${account.id}`, {
      token: office,
      body: { mustChangePassword: true },
    });
    await call("POST", "/v1/sign-in", {
      body: { proof: { type: "password", identifier: elio, password: PASSWORD }, deliver: "token" },
    });
    await mailTo(elio, "confirm-sign-in");
    await help("first-password", { password: NEW_PASSWORD });
    await mailTo(elio, "first-password-given");
    const second = at("second");
    const { account: other } = await register(second);
    await call("PATCH", `/v1/operator/accounts/${other.id}`, {
      token: office,
      body: { labels: ["operator"] },
    });
    await help("correct-email", { email: at("elio.fixed") });
    await mailTo(second, "operators-told");
    const corrected = await mailTo(at("elio.fixed"), "email-corrected");
    await land("a corrected address", corrected.links[0]);
    await call("PATCH", `/v1/operator/accounts/${other.id}`, { token: office, body: { labels: [] } });
  }

  /** All pictures on one sheet, each under its name. */
  async function draw(file, pictures, width) {
    const sheet = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    const figures = pictures.map(
      ({ name, picture }) =>
        `<figure style="margin:0;width:${width}px"><figcaption>${name}</figcaption><img style="width:100%;border:1px solid #bbb" src="data:image/png;base64,${picture.toString("base64")}"></figure>`,
    );
    await sheet.setContent(
      `<body style="margin:16px;font:12px sans-serif;display:flex;flex-wrap:wrap;gap:12px">${figures.join("")}</body>`,
    );
    await sheet.screenshot({ path: join(FOLDER, `${file}.png`), fullPage: true });
    say(file);
  }
});
