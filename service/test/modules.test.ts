/** The modules of docs/examples, fed with odd paths, headers and cookies. */
import { mkdtempSync, readdirSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { callCommand } from "../../testing/command.ts";
import { eventually } from "../../testing/eventually.ts";
import type { TestService } from "../../testing/service.ts";
import { freePort, send } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { askAll, spellings } from "../../testing/spellings.ts";
import { enter, LANGUAGES, startHuts, startProgram } from "../../testing/way-in.ts";
import { inWhole, isWhole } from "../../testing/whole.ts";

const SPELLINGS = isWhole ? 10_000 : 1_000;
const examples = fileURLToPath(new URL("../../docs/examples", import.meta.url));
const html = { accept: "text/html" };

let service: TestService;
beforeAll(async () => {
  service = await startShipped();
});
afterAll(() => service.stop());

/** Applications that read a path as leniently as any: whatever of theirs is reached by a guest is written down. */
const LENIENT = {
  Python: `
import os, re, sys
from socketserver import ThreadingMixIn
from urllib.parse import unquote
from wsgiref.simple_server import WSGIRequestHandler, WSGIServer, make_server
sys.path.insert(0, ${JSON.stringify(examples)})
from hasp import Hasp

hasp = Hasp(service="http://127.0.0.1:9", client_id="x", app_key="lcp_x", return_address="http://localhost/in",
            closed=["/members/*", "/graphql", "/keepers/ledger"])

def application(environ, start_response):
    for path in (environ["PATH_INFO"], unquote(environ["PATH_INFO"])):
        path = re.sub("/+", "/", path.lower()).split(";")[0]
        for reading in (path, path.rstrip("/"), os.path.normpath(path)):
            if reading in ("/members", "/graphql", "/keepers/ledger") or reading.startswith("/members/"):
                print("REACHED", environ["PATH_INFO"], file=sys.stderr, flush=True)
    print("PASSED", environ["PATH_INFO"], file=sys.stderr, flush=True)
    start_response("200 OK", [("Content-Length", "0")])
    return []

class Server(ThreadingMixIn, WSGIServer):
    daemon_threads = True

class Handler(WSGIRequestHandler):
    protocol_version = "HTTP/1.0"
    def log_message(self, *arguments):
        pass

make_server("127.0.0.1", int(os.environ["PORT"]), hasp(application), Server, Handler).serve_forever()
`,
  PHP: `<?php
require ${JSON.stringify(`${examples}/hasp.php`)};
$hasp = new Hasp(service: 'http://127.0.0.1:9', clientId: 'x', appKey: 'lcp_x', returnAddress: 'http://localhost/in',
    closed: ['/members/*', '/graphql', '/keepers/ledger']);
$hasp->enter();
$asked = $_SERVER['REQUEST_URI'];
$paths = [strtok($asked, '?'), parse_url($asked, PHP_URL_PATH), $_SERVER['SCRIPT_NAME'], $_SERVER['PATH_INFO'] ?? '', $_SERVER['PHP_SELF']];
foreach ($paths as $path) {
    foreach ([(string) $path, rawurldecode((string) $path)] as $text) {
        $text = explode(';', preg_replace('~/+~', '/', strtolower($text)))[0];
        foreach ([$text, rtrim($text, '/')] as $reading) {
            if (in_array($reading, ['/members', '/graphql', '/keepers/ledger'], true) || str_starts_with($reading, '/members/')) {
                error_log("REACHED $asked");
            }
        }
    }
}
error_log("PASSED $asked");
`,
};

describe.each(LANGUAGES.map((one) => [one.language, one] as const))("WH-4 in %s", (language, one) => {
  test(`HA-1 none of ${SPELLINGS} spellings reaches a closed handler`, async () => {
    const port = await freePort();
    const file = join(
      mkdtempSync(join(tmpdir(), "lucchetto-lenient-")),
      `lenient.${one.program.slice(0, 2)}`,
    );
    writeFileSync(file, LENIENT[language]);
    const args = language === "PHP" ? ["-S", `127.0.0.1:${port}`, file] : [file];
    const { child, said } = await startProgram(`http://127.0.0.1:${port}/`, one.program, args, {
      PORT: String(port),
    });
    try {
      await askAll(port, spellings(SPELLINGS));
      // The last one is logged, too.
      await send({ url: `http://127.0.0.1:${port}` }, "GET", "/last");
      await eventually(() => said().includes("PASSED /last"), "the last line");
      expect(said().match(/REACHED .*/g) ?? []).toEqual([]);
      expect(said().match(/PASSED/g)?.length).toBeGreaterThan(SPELLINGS / 20);
    } finally {
      child.kill();
    }
  });

  test("a foreign page, an address that leads away, a cookie that somebody wrote: nothing comes of them", async () => {
    const { url, child, clientId } = await startHuts(service, one);
    try {
      const { token } = await service.register(`nora.${language}@brina.example`);
      const cookie = await enter(service, { url, token, path: "/members/a%20b?week=3" });
      const ask = (path: string, headers: Record<string, string> = {}, method = "GET") =>
        send({ url }, method, path, { headers });
      expect((await ask("/members", { cookie })).headers.get("cache-control")).toBe("no-store");
      expect((await ask("/members", { cookie: `other; =x; "=; ${cookie}; a=b=c; ;` })).status).toBe(200);
      // Changes: from its own page alone.
      const origins = { "https://evil.test": 403, [url]: 200, null: 403 };
      for (const [origin, status] of Object.entries(origins))
        expect([origin, (await ask("/members", { cookie, origin }, "POST")).status]).toEqual([
          origin,
          status,
        ]);
      expect((await ask("/members", { cookie }, "POST")).status).toBe(403);
      expect((await ask("/members", { cookie, "sec-fetch-site": "same-origin" }, "POST")).status).toBe(200);
      expect((await ask("/sign-out", { cookie }, "GET")).status).toBe(405);

      // Where the way leads on to stays inside.
      for (const next of [
        "//evil.test",
        "/\\evil.test",
        "/.//evil.test",
        "/%2e//evil.test",
        "https://evil.test",
        "/a\tb",
      ]) {
        const { headers } = await ask(`/sign-in?next=${encodeURIComponent(next)}`, html);
        const away = new URL(headers.get("location") ?? "");
        expect([next, away.searchParams.get("target_link_uri")]).toEqual([next, `${url}/`]);
      }
      const begun = await ask(
        `/sign-in?${new URLSearchParams({ iss: service.configuration.publicUrl, target_link_uri: `${url}/members?x=1` }).toString()}`,
        html,
      );
      expect(new URL(begun.headers.get("location") ?? "").searchParams.get("target_link_uri")).toBe(
        `${url}/members?x=1`,
      );
      const foreign = await ask("/sign-in?iss=https%3A%2F%2Fevil.test", html);
      expect([foreign.status, foreign.text]).toEqual([400, expect.stringContaining("Please sign in again")]);

      // A forged departure, and several at once: no more than four are kept.
      const port = new URL(url).port;
      const forged = `lucchetto-away-${port}-abcdefgh=abcdefgh..`;
      expect((await ask("/signed-in?state=abcdefghi&code=x", { ...html, cookie: forged })).status).toBe(400);
      const many = Array.from({ length: 7 }, (_one, at) => `lucchetto-away-${port}-state00${at}=x`).join(
        "; ",
      );
      const removed = (await ask("/members", { ...html, cookie: many })).headers
        .getSetCookie()
        .filter((line) => /Max-Age=0/i.test(line));
      expect(removed).toHaveLength(4);
      // Where a second factor is wanted and there is none, the way to one is shown.
      const levelled = await ask("/key-box", { ...html, cookie });
      const way = new URL(levelled.headers.get("location") ?? "");
      expect([way.searchParams.get("acr_values"), way.searchParams.get("client_id")]).toEqual([
        "aal2",
        clientId,
      ]);
    } finally {
      child.kill();
    }
  });

  test("answers are kept for as long as was said, but not past signing out, nor where freshness is wanted", async () => {
    const folder = mkdtempSync(join(tmpdir(), "lucchetto-kept-"));
    const { url, child } = await startHuts(service, one, { KEEP_ANSWERS_FOR: "60", KEEP_ANSWERS_IN: folder });
    try {
      const { token } = await service.register(`otto.${language}@brina.example`);
      const cookie = await enter(service, { url, token, path: "/members" });
      const open = async (path: string, headers = { cookie }) =>
        (await send({ url }, "GET", path, { headers })).status;
      expect(await open("/members")).toBe(200);
      await service.as(token)(routes.signOut);
      expect([await open("/members"), await open("/ledger")]).toEqual([200, 401]);
      const second = {
        cookie: await enter(service, {
          url,
          token: await service.signIn(`otto.${language}@brina.example`),
          path: "/members",
        }),
      };
      expect(await open("/members", second)).toBe(200);
      // Of what is kept in a folder, no name is a token.
      expect(readdirSync(folder).join()).not.toMatch(/lck_/);
      expect((await send({ url }, "POST", "/sign-out", { headers: { ...second, origin: url } })).status).toBe(
        303,
      );
      expect(await open("/members", second)).toBe(401);
    } finally {
      child.kill();
    }
  });

  inWhole("a rehearsal passes every step", async () => {
    const { url, child } = await startHuts(service, one);
    try {
      const home = mkdtempSync(join(tmpdir(), "lucchetto-home-"));
      const args = ["--app", url, "--closed", "/members", "--closed-api", "/api/my-nights"];
      const more = ["--closed-level2", "/key-box", "--url", service.url, "--deadline", "200"];
      const { status, out } = await callCommand(home, ["rehearse", ...args, ...more]);
      expect([out, status]).toEqual([expect.stringContaining("22 passed, 0 failed, 5 skipped."), 0]);
    } finally {
      child.kill();
    }
  });
});
