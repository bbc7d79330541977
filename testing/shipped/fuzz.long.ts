/**
 * Whatever anybody sends, the built service answers in time, never with a fault of its own, and does not grow: made-up targets, headers
 * and bodies, an hour of them. `FUZZ_MINUTES` sets another time, `FUZZ_SEED` what is made up.
 */
import { connect } from "node:net";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import type { Route } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import fc from "fast-check";
import type { TestService } from "../service.ts";
import { send } from "../service.ts";
import { startShipped } from "../shipped-service.ts";
import { Visitor } from "../visitor.ts";

const MINUTES = Number(process.env["FUZZ_MINUTES"] ?? 60);
const SEED = Number(process.env["FUZZ_SEED"] ?? 1);
/** Requests under way at once. */
const LANES = 4;
/** Milliseconds within which everything is answered, on a busy machine too. */
const ANSWERED_WITHIN = 60_000;
/** Of the memory after a tenth of the time. */
const MOST_GROWTH = 1.6;

let service: TestService;
let tokens: readonly string[];
let cookie: string;
beforeAll(async () => {
  service = await startShipped({ settings: { LUCCHETTO_TRUSTED_PROXIES: "[127.0.0.1]" } });
  const { token } = await service.register("fuzz@brina.example");
  tokens = [token, await service.operator()];
  const browser = new Visitor(service);
  await browser.post("/v1/accounts", { email: "browser@brina.example", password: "a good long password" });
  cookie = [...browser.cookies].map(([name, value]) => `${name}=${value}`).join("; ");
});
afterAll(() => service.stop());

interface Request {
  readonly method: string;
  readonly target: string;
  readonly headers: ReadonlyArray<readonly [string, string]>;
  readonly body: Uint8Array | null;
}

/** Taking oneself out ends what is looked at here. */
const SPARED = new Set(["eraseOwnAccount", "eraseAccount", "beginRehearsal", "beginHashTuning", "moveClock"]);
const own = Object.values<Route>(routes).filter(({ name }) => !SPARED.has(name));
const text = fc.oneof(
  fc.string({ maxLength: 40 }),
  fc.string({ unit: "binary", maxLength: 40 }),
  fc.constantFrom(
    "",
    "\u0000",
    "../..",
    "%00",
    "'; DROP TABLE account; --",
    "x".repeat(5_000),
    "\ud800",
    "null",
    "-1",
  ),
);
const uuid = fc.constantFrom(
  "01234567-89ab-7def-8123-456789abcdef",
  "ffffffff-ffff-ffff-ffff-ffffffffffff",
  "0",
  "not-an-id",
);
const target = fc.oneof(
  {
    weight: 6,
    arbitrary: fc
      .tuple(fc.constantFrom(...own), fc.array(fc.oneof(uuid, text), { minLength: 4, maxLength: 4 }))
      .map(([{ path }, given]) => {
        let next = 0;
        return path.replace(/:\w+/g, () => encodeURIComponent(wellFormed(given[(next += 1) % 4] ?? "")));
      }),
  },
  {
    weight: 2,
    arbitrary: fc.constantFrom(
      "/",
      "/sign-in",
      "/account",
      "/oauth/authorize",
      "/oauth/token",
      "/oauth/introspect",
      "/v1/checks",
      "/proxy/check",
      "/metrics",
      "/openapi.json",
      "/link",
      "/assets/x.js",
    ),
  },
  {
    weight: 1,
    arbitrary: fc
      .string({
        unit: fc.constantFrom("/", ".", "%", "2", "f", "?", "#", "a", ";", "\\", " "),
        maxLength: 60,
      })
      .map((one) => `/${one}`),
  },
);
const query = fc.oneof(
  fc.constant(""),
  fc
    .array(
      fc.tuple(
        fc.constantFrom(
          "limit",
          "cursor",
          "search",
          "id",
          "kind",
          "after",
          "state",
          "code",
          "next",
          "client_id",
          "redirect_uri",
          "scope",
          "x",
        ),
        text,
      ),
      { maxLength: 4 },
    )
    .map(
      (pairs) =>
        `?${pairs.map(([name, value]) => `${name}=${encodeURIComponent(wellFormed(value))}`).join("&")}`,
    ),
);
const json = fc.oneof(
  fc.json(),
  fc
    .dictionary(
      fc.constantFrom(
        "email",
        "password",
        "username",
        "proof",
        "type",
        "identifier",
        "purpose",
        "secret",
        "code",
        "labels",
        "name",
        "body",
        "rights",
        "redirectUris",
        "items",
        "plan",
        "present",
        "credential",
        "challengeId",
      ),
      fc.jsonValue(),
      { maxKeys: 5 },
    )
    .map((value) => JSON.stringify(value)),
  fc.constantFrom(
    "{",
    "[]",
    "null",
    '{"__proto__":{"x":1}}',
    `${"[".repeat(10_000)}`,
    `"${"a".repeat(70_000)}"`,
    '{"proof":{"type":"password","identifier":"a","password":"b"}}',
  ),
);
const body = fc.oneof(
  { weight: 3, arbitrary: json.map((one) => new TextEncoder().encode(one)) },
  { weight: 1, arbitrary: fc.uint8Array({ maxLength: 300 }) },
  { weight: 1, arbitrary: fc.constant(null) },
);
const header = fc.oneof(
  fc.tuple(
    fc.constantFrom("content-type"),
    fc.constantFrom(
      "application/json",
      "application/json; charset=utf-16",
      "application/x-www-form-urlencoded",
      "multipart/form-data",
      "text/plain",
      "",
      "a/b;c",
    ),
  ),
  fc.tuple(
    fc.constantFrom(
      "accept",
      "accept-language",
      "user-agent",
      "origin",
      "referer",
      "if-none-match",
      "range",
      "x-forwarded-for",
      "forwarded",
      "x-request-id",
      "cookie",
      "authorization",
      "sec-fetch-site",
    ),
    fc.string({ unit: fc.constantFrom(...'abcxyz019 ,;=/:.*"[]-_%'), maxLength: 80 }),
  ),
  fc.tuple(
    fc.constantFrom("authorization"),
    fc.constantFrom(
      "Bearer lcs_x",
      "Basic Og==",
      "Basic !!!",
      "Bearer",
      `Bearer lca_${"x".repeat(43)}`,
      "Digest x",
    ),
  ),
);
const request: fc.Arbitrary<Request & { readonly as: number }> = fc.record({
  method: fc.oneof(
    { weight: 6, arbitrary: fc.constantFrom("GET", "POST", "PATCH", "PUT", "DELETE") },
    { weight: 1, arbitrary: fc.constantFrom("HEAD", "OPTIONS", "TRACE", "PROPFIND", "M-SEARCH") },
  ),
  target: fc.tuple(target, query).map((parts) => parts.join("")),
  headers: fc.array(header, { maxLength: 5 }),
  body,
  as: fc.nat(4),
});

const wellFormed = (one: string): string => one.replace(/[\ud800-\udfff]/gu, "\ufffd");

/** Sends the bytes as they are, and reads the first line of what comes. */
function ask({
  method,
  target: path,
  headers,
  body: bytes,
}: Request): Promise<{ status: number; text: string }> {
  const { hostname, port, host } = new URL(service.url);
  return new Promise((resolve, reject) => {
    const socket = connect(Number(port), hostname);
    const parts: Buffer[] = [];
    const timer = setTimeout(() => socket.destroy(new Error("no answer")), ANSWERED_WITHIN);
    const lines = [
      `${method} ${path.replace(/[\r\n]/g, "")} HTTP/1.1`,
      ...(headers.some(([name]) => name === "host") ? [] : [`host: ${host}`]),
      ...headers.map(([name, value]) => `${name}: ${value}`),
      ...(bytes === null ? [] : [`content-length: ${bytes.length}`]),
      "connection: close",
    ];
    socket.on("connect", () => {
      socket.write(Buffer.from(`${lines.join("\r\n")}\r\n\r\n`, "latin1"));
      if (bytes !== null) socket.write(bytes);
    });
    socket.on("data", (chunk: Buffer) => {
      parts.push(chunk);
      // A stream of events ends only with its reader.
      if (Buffer.concat(parts).includes("text/event-stream")) socket.end();
    });
    // What was answered before all was sent may end the connection hard.
    socket.on("error", (error) => (parts.length > 0 ? undefined : reject(error)));
    socket.on("close", () => {
      clearTimeout(timer);
      const said = Buffer.concat(parts).toString("latin1");
      resolve({ status: Number(/^HTTP\/1\.1 (\d{3})/.exec(said)?.[1] ?? 0), text: said });
    });
  });
}

async function residentBytes(): Promise<number> {
  const { text: said } = await send(service, "GET", "/metrics");
  return Number(/^process_resident_memory_bytes (\S+)/m.exec(said)?.[1]);
}

test("whatever is sent is answered, never by a fault of the service's own, and it does not grow", async () => {
  const began = performance.now();
  const end = began + MINUTES * 60_000;
  const seen = new Map<number, number>();
  const faults: string[] = [];
  let warm = 0;
  let sent = 0;
  const lane = async (number: number): Promise<void> => {
    for (let round = 0; performance.now() < end && faults.length < 5; round += 1) {
      const batch = fc.sample(request, { numRuns: 200, seed: SEED + round * LANES + number });
      for (const { as, ...one } of batch) {
        const token = tokens[as];
        const known =
          as < 2
            ? [["authorization", `Bearer ${token}`] as const]
            : as === 2
              ? [["cookie", cookie] as const, ["origin", service.url] as const]
              : [];
        const made = { ...one, headers: [...one.headers, ...known] };
        const { status, text: said } = await ask(made).catch((error: Error) => ({
          status: 0,
          text: error.message,
        }));
        seen.set(status, (seen.get(status) ?? 0) + 1);
        sent += 1;
        // Telling that it is busy is no fault; a connection that ends without a word is one.
        const isBusy = status === 503 && /too-busy|application-unresponsive/.test(said);
        if ((status === 0 || status >= 500) && !isBusy)
          faults.push(
            `${status} ${made.method} ${made.target.slice(0, 200)} ${JSON.stringify(made.headers).slice(0, 300)} ${Buffer.from(
              made.body ?? [],
            )
              .toString("latin1")
              .slice(0, 300)} → ${said.slice(0, 300)}`,
          );
        if (performance.now() > end) return;
      }
      if (warm === 0 && performance.now() - began > (MINUTES * 60_000) / 10) warm = await residentBytes();
    }
  };
  await Promise.all(Array.from({ length: LANES }, (_, number) => lane(number)));
  const after = await residentBytes();
  // What a run of an hour came to, for whoever reads its output.
  process.stdout.write(
    `seed ${SEED}: ${sent} requests in ${MINUTES} minutes; ${[...seen].map(([status, count]) => `${status}: ${count}`).join(", ")}; memory ${Math.round(warm / 2 ** 20)} to ${Math.round(after / 2 ** 20)} MiB\n`,
  );
  expect(faults).toEqual([]);
  expect(after).toBeLessThan(warm * MOST_GROWTH);
  expect((await send(service, "GET", "/readyz")).status).toBe(200);
});
