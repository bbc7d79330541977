/** What an application needs to stand behind Lucchetto: whole programs, to be pasted as they are. */
import { fileURLToPath } from "node:url";
import { bold } from "./output.ts";

/** What the application is made with. */
export const STYLES = ["fastify", "express", "other", "proxy"] as const;
export type Style = (typeof STYLES)[number];

interface AppToPaste {
  /** Lucchetto's public address. */
  readonly service: string;
  readonly clientId: string;
  readonly returnAddress: string;
  readonly signedOutAddress: string | undefined;
  /** Whether it may check people's own passwords. */
  readonly basicPasswords?: boolean | undefined;
  /** Whether it may sign people in with forms of its own. */
  readonly ownForms?: boolean | undefined;
}

/** Of the workspace, where the hasp is installed from. */
const folderOf = (name: string): string => fileURLToPath(new URL(`../../${name}`, import.meta.url));

export function linesToPaste(app: AppToPaste, style: Style): string[] {
  return [...linesOf(app, style), ...(app.ownForms === true ? formsOfItsOwn() : [])];
}

/** What the program does not show that a right is for. */
const formsOfItsOwn = (): string[] => [
  "",
  bold("Its own forms: the hasp gets the option forms, and calls Lucchetto for the visitor:"),
  "",
  `  forms: { page: "/login" },    // guests at closed pages are sent there, with ?next= the page they wanted`,
  "",
  `import { routes } from "@lucchetto/hasp/forms";`,
  `const visitor = app.hasp.forms.before(request, reply);    // in Express: hasp.forms.before(request, response)`,
  `const { body } = await visitor.call(routes.signIn, { body: { proof: { type: "password", identifier, password } } });`,
  `if (body.outcome === "signed-in") return reply.redirect(visitor.next, 303);    // closed pages are open from here on`,
  "",
  `Each form and its call: ${folderOf("docs/applications.md")} (Forms of your own); a whole page: ${folderOf("demo/src/app/desk.ts")}`,
];

function linesOf(app: AppToPaste, style: Style): string[] {
  switch (style) {
    case "fastify":
      return inNode(app, { framework: "fastify", program: fastifyProgram(app) });
    case "express":
      return inNode(app, { framework: "express", program: expressProgram(app) });
    case "other":
      return inOtherLanguages(app);
    case "proxy":
      return behindProxy(app);
  }
}

function inNode(
  { returnAddress }: AppToPaste,
  { framework, program }: { framework: string; program: readonly string[] },
): string[] {
  return [
    bold("In your application's folder:"),
    "",
    "npm init -y && npm pkg set type=module",
    `npm install ${framework} ${folderOf("contract")} ${folderOf("hasp")}`,
    "export LUCCHETTO_APP_KEY=lcp_…    # the key above",
    "",
    bold("Paste this into server.js:"),
    "",
    ...program,
    "",
    bold(`Then: node server.js, and open ${new URL("/", returnAddress).href}`),
  ];
}

function optionsOf({
  service,
  clientId,
  returnAddress,
  signedOutAddress,
  basicPasswords,
}: AppToPaste): string[] {
  return [
    `  service: "${service}",`,
    `  clientId: "${clientId}",`,
    `  appKey: process.env.LUCCHETTO_APP_KEY,`,
    `  returnAddress: "${returnAddress}",`,
    ...(signedOutAddress === undefined ? [] : [`  signedOutAddress: "${signedOutAddress}",`]),
    ...(basicPasswords === true ? [`  basicPasswords: true,`] : []),
  ];
}

/** What both programs show: a guest's way in, and a person's name and way out. */
const PAGES = [
  "const html = (body) => `<!doctype html><html lang=en><meta charset=utf-8><title>My application</title>${body}</html>`;",
  "const escape = (text) => text.replace(/[&<>\"']/g, (letter) => `&#${letter.charCodeAt(0)};`);",
  "const nameOf = (account) => escape(account.displayName ?? account.username ?? account.email ?? account.id);",
  'const forGuests = html(\'<p>Good day. <a href="/sign-in?next=/members">Sign in</a> or <a href="/register">register</a>.</p>\');',
  'const signOut = \'<form method="post" action="/sign-out"><button>Sign out</button></form>\';',
  'const greeting = (account) => html(`<p>Good day, ${nameOf(account)}. <a href="/members">For members</a> <a href="${account.accountPage}">Your account</a></p>${signOut}`);',
  "const members = (account) => html(`<p>Only members see this, and you are ${nameOf(account)}.</p>${signOut}`);",
];

const portOf = (address: string): string => {
  const { port, protocol } = new URL(address);
  return port === "" ? (protocol === "https:" ? "443" : "80") : port;
};
const landingOf = ({ signedOutAddress }: AppToPaste): string | null => {
  const path = signedOutAddress === undefined ? "/" : new URL(signedOutAddress).pathname;
  return path === "/" ? null : path;
};

function fastifyProgram(app: AppToPaste): string[] {
  const landing = landingOf(app);
  return [
    `import Fastify from "fastify";`,
    `import { fastifyHasp } from "@lucchetto/hasp/fastify";`,
    "",
    `const app = Fastify();`,
    `await app.register(fastifyHasp, {`,
    ...optionsOf(app),
    `});`,
    "",
    ...PAGES,
    "",
    `app.get("/", { preHandler: app.hasp.open() }, async ({ account }, reply) =>`,
    `  reply.type("text/html").send(account === null ? forGuests : greeting(account)),`,
    `);`,
    `app.get("/members", { preHandler: app.hasp.closed() }, async ({ account }, reply) =>`,
    `  reply.type("text/html").send(members(account)),`,
    `);`,
    ...(landing === null ? [] : [`app.get("${landing}", async (request, reply) => reply.redirect("/"));`]),
    `await app.listen({ port: ${portOf(app.returnAddress)} });`,
  ];
}

function expressProgram(app: AppToPaste): string[] {
  const landing = landingOf(app);
  return [
    `import express from "express";`,
    `import { expressHasp } from "@lucchetto/hasp/express";`,
    "",
    `const hasp = expressHasp({`,
    ...optionsOf(app),
    `});`,
    "",
    ...PAGES,
    "",
    `const app = express();`,
    `app.use(hasp.own());`,
    `app.get("/", hasp.open(), ({ account }, response) => response.send(account === null ? forGuests : greeting(account)));`,
    `app.get("/members", hasp.closed(), ({ account }, response) => response.send(members(account)));`,
    ...(landing === null ? [] : [`app.get("${landing}", (request, response) => response.redirect("/"));`]),
    `app.listen(${portOf(app.returnAddress)});`,
  ];
}

function inOtherLanguages({ service, clientId, returnAddress, signedOutAddress }: AppToPaste): string[] {
  const port = portOf(returnAddress);
  const environment = `LUCCHETTO=${service} CLIENT_ID=${clientId} LUCCHETTO_APP_KEY=lcp_… PORT=${port}`;
  const fits =
    new URL(returnAddress).pathname === "/signed-in" &&
    signedOutAddress !== undefined &&
    new URL(signedOutAddress).pathname === "/";
  return [
    bold(
      "A small application to try, without any package; the module beside it (hasp.py, hasp.php) is yours to copy:",
    ),
    "",
    `${environment} python3 ${folderOf("docs/examples/huts.py")}`,
    `${environment} php -S 127.0.0.1:${port} ${folderOf("docs/examples/huts.php")}`,
    "",
    ...(fits
      ? []
      : [
          `Both answer at /signed-in and come back to /. Register them so: --redirect-uri http://localhost:${port}/signed-in --signed-out-uri http://localhost:${port}/`,
          "",
        ]),
    bold(`Any OAuth 2.0 client does as well. Its endpoints: ${metadataAddress(service)}`),
  ];
}

/** RFC 8414 section 3: the well-known part stands between the host and the issuer's path. */
function metadataAddress(service: string): string {
  const { origin, pathname } = new URL(service);
  return `${origin}/.well-known/oauth-authorization-server${pathname.replace(/\/$/, "")}`;
}

function behindProxy({ clientId, returnAddress }: AppToPaste): string[] {
  return [
    bold("In lucchetto.yaml (a path of the site's own name, which the proxy hands on):"),
    "",
    `publicUrl: ${new URL("/people", returnAddress).href}`,
    "trustedProxies: [127.0.0.1]",
    `proxyCheck: { clientId: ${clientId}, proxies: [127.0.0.1] }`,
    "",
    bold(
      `Then the proxy asks GET /v1/proxy-check before each request. For nginx: ${folderOf("docs/examples/nginx.conf")}`,
    ),
  ];
}
