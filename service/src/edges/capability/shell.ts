/** The one HTML page that all pages are: the built console's index, with what the page needs to know written into it. */
import { readFileSync } from "node:fs";
import type { PageState, ProblemCode } from "@lucchetto/contract";
import { CONTINUE_PATH, MAILBOX_PAGE, PAGE_STATE_ELEMENT, PROBLEMS } from "@lucchetto/contract";
import type { Language } from "@lucchetto/core";
import escapeHtml from "escape-html";
import type { FastifyReply, FastifyRequest } from "fastify";
import type { Configuration } from "../../base/config/index.ts";
import { appOfLanding } from "../../base/config/index.ts";
import { durationInWords } from "../../base/duration.ts";
import { basePathOf } from "../../base/http/address.ts";
import { hostCookie } from "../../base/http/host-cookie.ts";
import { languageOf } from "../../base/http/language.ts";
import { CONSOLE_DIRECTORY } from "../../base/locations.ts";
import type { ProblemParts } from "../../base/problem.ts";
import { problemBody } from "../../records/http/problem.ts";
import { SITE_LOGO_PATH, siteStyle, siteStyleAddress } from "../../records/site/site.ts";

/** What differs from page to page. */
type PageExtras = Pick<PageState, "problem" | "signOut" | "visitedApp" | "apps">;

export interface PageShell {
  /** Sends the page with the state written into it. */
  send(reply: FastifyReply, extras?: PageExtras, status?: number): FastifyReply;
  /** Sends a page that explains a problem; programs that do not ask for HTML get the problem itself. */
  sendProblem(
    request: FastifyRequest,
    reply: FastifyReply,
    code: ProblemCode,
    parts?: ProblemParts,
  ): FastifyReply;
  /** A page's path with query members, below the public address. */
  pathOf(path: string, query: Readonly<Record<string, string>>): string;
}

const FOR_DEVELOPERS = new RegExp(`^(/docs|/problems|${MAILBOX_PAGE})\\b`);

const NOT_BUILT =
  "<!doctype html><html lang=en><title>Pages not built</title><p>The pages are not built yet. Run: npm run build";

/** Makes the shell. In production the built page is read once. @param added the path of a script that people's pages load besides; `null`: none. */
export function createPageShell(configuration: Configuration, added: string | null): PageShell {
  const { publicUrl } = configuration;
  const basePath = basePathOf(publicUrl);
  const built = readTemplate(basePath);
  // In development the pages are built again while the service runs.
  const template = () => (configuration.mode === "development" ? readTemplate(basePath) : built);
  const { language: siteLanguage } = configuration.site;
  const common = {
    en: commonState(configuration, basePath, "en"),
    it: commonState(configuration, basePath, "it"),
  };
  const languageCookie = hostCookie(publicUrl, "language");

  const style = siteStyle(configuration);
  const styleAddress = style === "" ? null : siteStyleAddress(basePath, style);

  const send: PageShell["send"] = (reply, extras = {}, status = 200) => {
    const path = reply.request.url.slice(basePath.length);
    // The console is not the site's: it stays as it is, whatever the stylesheet does.
    const isConsole = path.startsWith("/console");
    // What is for operators and developers is in English on every site.
    const isEnglish = isConsole || FOR_DEVELOPERS.test(path);
    const language = isEnglish ? "en" : languageOf(reply.request, languageCookie, siteLanguage);
    const state: PageState = { ...common[language], ...extras };
    return reply
      .status(status)
      .headers({ "cache-control": "no-store", "content-security-policy": CONTENT_SECURITY_POLICY })
      .type("text/html; charset=utf-8")
      .send(
        fill(template(), state, {
          style: isConsole ? null : styleAddress,
          script: isConsole || added === null ? null : basePath + added,
          isConsole,
        }),
      );
  };

  return {
    send,
    sendProblem(request, reply, code, parts = {}) {
      const { status, title, meaning, remedy } = PROBLEMS[code];
      const said = parts.detail === undefined ? {} : { detail: parts.detail };
      if (wantsHtml(request))
        return send(reply, { problem: { code, title, meaning, remedy, ...said } }, status);
      return reply
        .status(status)
        .header("cache-control", "no-store")
        .type("application/problem+json")
        .send(JSON.stringify(problemBody(code, { parts, publicUrl, requestId: request.id })));
    },
    pathOf: (path, query) => `${basePath}${path}?${new URLSearchParams(query).toString()}`,
  };
}

/** No inline or evaluated script, nothing from elsewhere, framed by nobody. */
const CONTENT_SECURITY_POLICY = [
  "default-src 'none'",
  "script-src 'self'",
  "style-src 'self'",
  "img-src 'self' data:",
  "font-src 'self'",
  "connect-src 'self'",
  "frame-src 'self'",
  "object-src 'none'",
  "base-uri 'none'",
  "form-action 'self'",
  "frame-ancestors 'none'",
].join("; ");

/** Whether a person's browser asks. */
export function wantsHtml(request: FastifyRequest): boolean {
  const readable = request.method === "GET" || request.method === "HEAD";
  return readable && (request.headers.accept ?? "").includes("text/html");
}

function readTemplate(basePath: string): string {
  try {
    const built = readFileSync(`${CONSOLE_DIRECTORY}index.html`, "utf8");
    return built.replace(/(src|href)="\.\//g, `$1="${basePath}/`);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") return NOT_BUILT;
    throw error;
  }
}

function commonState(configuration: Configuration, basePath: string, language: Language): PageState {
  const { site, mode, accounts, passwords, passkeys, landings, mail, signIn, links } = configuration;
  return {
    site: { name: site.name, logo: configuration.logo === null ? null : basePath + SITE_LOGO_PATH },
    mail: mail.via,
    mailLink: mail.via === "none" ? "off" : signIn.mailLink,
    mailComesFirst:
      mail.via !== "none" && (!configuration.tellTaken || configuration.verifyEmail === "required"),
    linksWorkFor: {
      reset: durationInWords(links.reset, language),
      signIn: durationInWords(links["sign-in"], language),
      verify: durationInWords(links.verify, language),
      undoChange: durationInWords(links["undo-change"], language),
      undoFactor: durationInWords(links["undo-factor"], language),
    },
    relyingPartyId: passkeys.relyingPartyId,
    eraseAfter: accounts.eraseAfter === 0 ? null : durationInWords(accounts.eraseAfter, language),
    language,
    siteLanguage: site.language,
    basePath,
    mode,
    identifiers: { email: accounts.email, username: accounts.username },
    minimumPasswordLength: passwords.rules === "off" ? 1 : passwords.minimumLength,
    passwordRulesOff: passwords.rules === "off",
    landings: {
      afterSignIn: landingPath(landings.afterSignIn),
      afterRegistering: landingPath(landings.afterRegistering),
      afterSignOut: landingPath(landings.afterSignOut, { to: "home" }),
    },
  };
}

/** A path, or the way to an application, as `app:hut-book`; to its first page alone, where nobody is to be signed in. */
function landingPath(landing: string, more: Readonly<Record<string, string>> = {}): string {
  const clientId = appOfLanding(landing);
  if (clientId === null) return landing;
  return `${CONTINUE_PATH}?${new URLSearchParams({ client_id: clientId, ...more }).toString()}`;
}

/** A data block is never run, so the policy needs no exception for it; `<` is escaped, so that nothing ends it early. */
function fill(
  template: string,
  state: PageState,
  { style, script, isConsole }: { style: string | null; script: string | null; isConsole: boolean },
): string {
  const json = JSON.stringify(state).replaceAll("<", "\\u003c");
  const block = `<script type="application/json" id="${PAGE_STATE_ELEMENT}">${json}</script>`;
  const link = style === null ? "" : `<link rel="stylesheet" href="${escapeHtml(style)}">`;
  const more = script === null ? "" : `<script type="module" src="${escapeHtml(script)}"></script>`;
  return template
    .replace("</body>", () => `${more}</body>`)
    .replace("<!--page-state-->", () => block)
    .replace("<!--site-style-->", () => link)
    .replace('<html lang="en">', `<html lang="${state.language}">`)
    .replace("<!--site-name-->", () => escapeHtml(isConsole ? "" : state.site.name))
    .replace("<title></title>", () => `<title>${escapeHtml(state.site.name)}</title>`);
}
