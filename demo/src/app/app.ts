/** Brina Huts' own application: a public page, a members' page, a keepers' page and a small JSON API, behind the hasp. */
import formbody from "@fastify/formbody";
import type { HaspOptions } from "@lucchetto/hasp";
import { fastifyHasp } from "@lucchetto/hasp/fastify";
import escapeHtml from "escape-html";
import type { FastifyInstance } from "fastify";
import type { FastifyReply, FastifyRequest } from "fastify";
import Fastify from "fastify";
import { addDesk } from "./desk.ts";
import { HUTS, nightsOf } from "./huts.ts";
import { leaveMessage, takeMessage } from "./messages.ts";
import { addOffice } from "./office.ts";
import type { Page } from "./page.ts";
import { nameOf, renderPage } from "./page.ts";
import { STYLE } from "./style.ts";
import { addWebhooks } from "./webhooks.ts";

const CONTENT_SECURITY_POLICY =
  "default-src 'none'; script-src 'self'; connect-src 'self'; style-src 'self'; img-src data:; base-uri 'none'; frame-ancestors 'none'";

/** Makes the application; the caller lets it listen. */
export async function createSampleApp(
  options: HaspOptions,
  { webhookSecret, deskKey }: { webhookSecret?: string | undefined; deskKey?: string | undefined } = {},
): Promise<FastifyInstance> {
  const app = Fastify({ logger: { level: process.env["LOG_LEVEL"] ?? "warn" } });
  await app.register(formbody);
  await app.register(fastifyHasp, options);

  const show = (
    request: FastifyRequest,
    reply: FastifyReply,
    page: Pick<Page, "title" | "here" | "body">,
  ) => {
    const { account } = request;
    const message = takeMessage(request, reply);
    return reply
      .headers({ "content-security-policy": CONTENT_SECURITY_POLICY, "cache-control": "no-store" })
      .type("text/html; charset=utf-8")
      .send(renderPage({ ...page, account, message }));
  };

  app.get("/style.css", async (_request, reply) => reply.type("text/css; charset=utf-8").send(STYLE));

  app.get("/", { preHandler: app.hasp.open() }, async (request, reply) => {
    const greeting = request.account === null ? "guest" : nameOf(request.account);
    const rows = HUTS.map(
      ({ name, metres, free, path }) =>
        `<tr><td>${name}</td><td class="number">${metres.toLocaleString("en")} m</td><td class="number">${free}</td><td>${path}</td></tr>`,
    ).join("");
    const body = `<p>Good day, <strong>${escapeHtml(greeting)}</strong>. These are the huts, and the bunks that are free tonight.</p>
<table><thead><tr><th>Hut</th><th class="number">Height</th><th class="number">Free</th><th>The way up</th></tr></thead><tbody>${rows}</tbody></table>`;
    return show(request, reply, { title: "Five huts above the lake", here: "/", body });
  });

  app.get("/members", { preHandler: app.hasp.closed() }, async (request, reply) => {
    const rows = nightsOf(request.account?.id ?? "")
      .map(
        ({ hut, nights, bunk }) =>
          `<tr><td>${hut}</td><td class="number">${nights}</td><td class="number">${bunk}</td></tr>`,
      )
      .join("");
    const body = `<p>Reserved in your name. This page is for members alone.</p>
<table><thead><tr><th>Hut</th><th class="number">Nights</th><th class="number">Bunk</th></tr></thead><tbody>${rows}</tbody></table>
<p><a href="/cancel-all">Cancel all nights</a> (asks for a proof of the last ten minutes) · <a href="/key-box">The key box</a> (asks for a second factor)</p>`;
    return show(request, reply, { title: "My nights", here: "/members", body });
  });

  app.get("/keepers", { preHandler: app.hasp.closed({ label: "keeper" }) }, async (request, reply) => {
    const rows = HUTS.map(
      ({ name, bunks, free }) =>
        `<tr><td>${name}</td><td class="number">${bunks - free}</td><td class="number">${bunks}</td></tr>`,
    ).join("");
    const body = `<p>The ledger of tonight, for keepers.</p>
<table><thead><tr><th>Hut</th><th class="number">Taken</th><th class="number">Bunks</th></tr></thead><tbody>${rows}</tbody></table>
<p><a href="/keepers/closing">Close the season</a> (asks for a second factor or a passkey)</p>`;
    return show(request, reply, { title: "Hut ledger", here: "/keepers", body });
  });

  // Whoever signed in longer ago shows a proof once more before this page opens.
  app.get("/cancel-all", { preHandler: app.hasp.closed({ freshWithin: 600 }) }, async (request, reply) => {
    const body = `<p>This page opens only to whoever has shown a proof within the last ten minutes. Nothing is really cancelled here.</p>`;
    return show(request, reply, { title: "Cancel all nights", here: "/cancel-all", body });
  });

  // Whoever signed in by a password alone shows a second factor, or a passkey, before this page opens.
  app.get("/key-box", { preHandler: app.hasp.closed({ level: 2 }) }, async (request, reply) => {
    const body = `<p>The key of the winter room hangs in the box by the door. Its number is only for members who have shown a second factor or a passkey: 4 7 1.</p>`;
    return show(request, reply, { title: "The key box", here: "/members", body });
  });
  const ofLevel2 = app.hasp.closed({ label: "keeper", level: 2 });
  app.get("/keepers/closing", { preHandler: ofLevel2 }, async (request, reply) => {
    const body = `<p>This page opens only to keepers who have shown a second factor or a passkey. Nothing is really closed here.</p>`;
    return show(request, reply, { title: "Close the season", here: "/keepers", body });
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
  if (deskKey !== undefined) addDesk(app, { service: options.service, appKey: deskKey, show });

  // People land here after signing out at Lucchetto.
  app.get("/signed-out", async (_request, reply) => {
    leaveMessage(reply, "signed-out");
    return reply.redirect("/", 303);
  });

  return app;
}
