/** Brina Huts' own application: a public page, a members' page, a keepers' page and a small JSON API, behind the hasp. */
import formbody from "@fastify/formbody";
import { languageAskedFor } from "@lucchetto/contract/language";
import type { HaspOptions } from "@lucchetto/hasp";
import { fastifyHasp } from "@lucchetto/hasp/fastify";
import escapeHtml from "escape-html";
import type { FastifyInstance } from "fastify";
import type { FastifyReply, FastifyRequest } from "fastify";
import Fastify from "fastify";
import { addDeskAccount } from "./desk-account.ts";
import { addDeskLink } from "./desk-link.ts";
import { addDeskPasskey } from "./desk-passkey.ts";
import { addDesk } from "./desk.ts";
import { HUTS, nightsOf } from "./huts.ts";
import { leaveMessage, takeMessage } from "./messages.ts";
import { addOffice } from "./office.ts";
import type { Page } from "./page.ts";
import { nameOf, renderPage } from "./page.ts";
import { STYLE } from "./style.ts";
import type { Texts } from "./texts.ts";
import { TEXTS } from "./texts.ts";
import { addWebhooks } from "./webhooks.ts";

const CONTENT_SECURITY_POLICY =
  "default-src 'none'; script-src 'self'; connect-src 'self'; style-src 'self'; img-src data:; base-uri 'none'; frame-ancestors 'none'";

/** Makes the application; the caller lets it listen. */
export async function createSampleApp(
  options: HaspOptions,
  { webhookSecret }: { webhookSecret?: string | undefined } = {},
): Promise<FastifyInstance> {
  const app = Fastify({ logger: { level: process.env["LOG_LEVEL"] ?? "warn" } });
  await app.register(formbody);
  await app.register(fastifyHasp, options);

  const textsOf = ({ headers }: FastifyRequest): Texts =>
    TEXTS[languageAskedFor(headers["accept-language"]) ?? "en"];
  const show = (
    request: FastifyRequest,
    reply: FastifyReply,
    page: Pick<Page, "title" | "here" | "body" | "lang">,
  ) => {
    const { account } = request;
    const texts = textsOf(request);
    const message = takeMessage(request, reply, texts);
    return reply
      .headers({
        "content-security-policy": CONTENT_SECURITY_POLICY,
        "cache-control": "no-store",
        vary: "accept-language",
      })
      .type("text/html; charset=utf-8")
      .send(renderPage({ ...page, account, message, texts }));
  };

  const unasked = { preHandler: app.hasp.open({ asks: false }) };
  app.get("/style.css", unasked, async (_request, reply) =>
    reply.type("text/css; charset=utf-8").send(STYLE),
  );

  app.get("/", { preHandler: app.hasp.open() }, async (request, reply) => {
    const { fiveHuts: title, goodDay, guest, hutColumns, language, ways } = textsOf(request);
    const name = request.account === null ? guest : nameOf(request.account);
    const rows = HUTS.map((hut) => [
      hut.name,
      `${hut.metres.toLocaleString(language)} m`,
      hut.free,
      ways[hut.name] ?? hut.path,
    ]);
    const body = `<p>${goodDay(escapeHtml(name))}</p>${table(hutColumns, rows)}`;
    return show(request, reply, { title, here: "/", body });
  });

  app.get("/members", { preHandler: app.hasp.closed() }, async (request, reply) => {
    const texts = textsOf(request);
    const rows = nightsOf(request.account?.id ?? "").map(({ hut, nights, bunk }) => [hut, nights, bunk]);
    const body = `<p>${texts.reserved}</p>${table(texts.nightColumns, rows)}
<p><a href="/cancel-all">${texts.cancelAll}</a> (${texts.asksForFreshProof}) · <a href="/key-box">${texts.keyBox}</a> (${texts.asksForSecondFactor})</p>`;
    return show(request, reply, { title: texts.nights, here: "/members", body });
  });

  app.get("/keepers", { preHandler: app.hasp.closed({ label: "keeper" }) }, async (request, reply) => {
    const texts = textsOf(request);
    const rows = HUTS.map(({ name, bunks, free }) => [name, bunks - free, bunks]);
    const body = `<p>${texts.tonight}</p>${table(texts.ledgerColumns, rows)}
<p><a href="/keepers/closing">${texts.closeSeason}</a> (${texts.asksForLevel2})</p>`;
    return show(request, reply, { title: texts.ledger, here: "/keepers", body });
  });

  // Whoever signed in longer ago shows a proof once more before this page opens.
  app.get("/cancel-all", { preHandler: app.hasp.closed({ freshWithin: 600 }) }, async (request, reply) => {
    const { cancelAll: title, onlyFresh } = textsOf(request);
    return show(request, reply, { title, here: "/cancel-all", body: `<p>${onlyFresh}</p>` });
  });

  // Whoever signed in by a password alone shows a second factor, or a passkey, before this page opens.
  app.get("/key-box", { preHandler: app.hasp.closed({ level: 2 }) }, async (request, reply) => {
    const { keyBox: title, keyNumber } = textsOf(request);
    return show(request, reply, { title, here: "/members", body: `<p>${keyNumber}</p>` });
  });
  const ofLevel2 = app.hasp.closed({ label: "keeper", level: 2 });
  app.get("/keepers/closing", { preHandler: ofLevel2 }, async (request, reply) => {
    const { closeSeason: title, onlyKeepers } = textsOf(request);
    return show(request, reply, { title, here: "/keepers", body: `<p>${onlyKeepers}</p>` });
  });

  app.get("/api/huts", { preHandler: app.hasp.open() }, async () => ({ huts: HUTS }));
  app.get("/api/my-nights", { preHandler: app.hasp.closed() }, async (request) => ({
    account: request.account?.id,
    nights: nightsOf(request.account?.id ?? ""),
  }));
  app.get("/api/ledger", { preHandler: app.hasp.closed({ label: "keeper" }) }, async () => ({
    taken: HUTS.map(({ name, bunks, free }) => ({ hut: name, taken: bunks - free })),
  }));

  addOffice(app, show);
  if (webhookSecret !== undefined) addWebhooks(app, webhookSecret);
  if (options.forms !== undefined) {
    addDesk(app, show);
    addDeskLink(app, show);
    addDeskPasskey(app);
    addDeskAccount(app, show);
  }

  // People land here after signing out at Lucchetto.
  app.get("/signed-out", unasked, async (_request, reply) => {
    leaveMessage(reply, "signed-out");
    return reply.redirect("/", 303);
  });

  return app;
}

/** Rows below their columns; whatever is a number, or ends in a unit, stands to the right. */
function table(columns: readonly string[], rows: ReadonlyArray<ReadonlyArray<string | number>>): string {
  const kindOf = (column: number): string =>
    /^[\d.,]+( m)?$/.test(String(rows[0]?.[column])) ? ' class="number"' : "";
  const head = columns.map((text, column) => `<th${kindOf(column)}>${text}</th>`).join("");
  const lines = rows.map(
    (cells) => `<tr>${cells.map((cell, column) => `<td${kindOf(column)}>${cell}</td>`).join("")}</tr>`,
  );
  return `<table><thead><tr>${head}</tr></thead><tbody>${lines.join("")}</tbody></table>`;
}
