import { randomBytes } from "node:crypto";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { judgeNewPassword, preparePassword } from "@lucchetto/core";
import type { TestService } from "../../testing/service.ts";
import { json, PASSWORD, send, startService } from "../../testing/service.ts";
import { mailTo, secretOf, Visitor } from "../../testing/visitor.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService();
});
afterAll(() => service.stop());

interface ProblemBody {
  code: string;
  detail: string;
  errors?: Array<{ path: string; message: string }>;
}
const register = (body: unknown, at = service) => send(at, "POST", "/v1/accounts", json(body));
const rows = async (table: string, at = service) =>
  Number((await at.dataSource.query(`SELECT COUNT(*) AS n FROM ${table}`))[0].n);

describe("registering", () => {
  test("makes a row whose record is not the password, and signs in", async () => {
    const reply = await register({
      email: "Anna@brina.example",
      username: "anna",
      displayName: "Anna",
      password: PASSWORD,
    });
    expect(reply.status).toBe(201);
    expect(reply.headers.get("set-cookie")).toMatch(/^lucchetto-\d+=lcs_/);
    expect(reply.json()).toMatchObject({
      outcome: "signed-in",
      account: { email: "Anna@brina.example", username: "anna", state: "active" },
    });
    expect(reply.json()).not.toHaveProperty("token");
    const [row] = await service.dataSource.query(
      "SELECT a.emailKey, p.record FROM account a JOIN password_record p ON p.accountId = a.id WHERE a.usernameKey = 'anna'",
    );
    expect(row.emailKey).toBe("anna@brina.example");
    expect(row.record).toMatch(/^\$scrypt\$ln=8,r=8,p=1\$/);
    expect(row.record).not.toContain(PASSWORD);
  });

  test("with a username alone is possible where the site says so", async () => {
    expect((await register({ username: "bruno", password: PASSWORD })).status).toBe(201);
    const neither = await register({ password: PASSWORD });
    expect(neither.status).toBe(400);
    expect(neither.json<ProblemBody>().errors?.[0]?.path).toBe("email");
  });

  test("tells all that is wrong at once, each at its field, and stores nothing", async () => {
    const before = await rows("account");
    const reply = await register({ email: "nonsense", username: "a b", password: "short" });
    expect(reply.status).toBe(400);
    expect(reply.json<ProblemBody>().errors?.map(({ path }) => path)).toEqual([
      "email",
      "username",
      "password",
    ]);
    expect(await rows("account")).toBe(before);
  });

  test("SI-11 a taken address or username is a field error where the site tells, in any letter case", async () => {
    const reply = await register({ email: "ANNA@brina.example", username: "Anna", password: PASSWORD });
    expect(reply.status).toBe(409);
    expect(reply.json<ProblemBody>()).toMatchObject({ code: "identifier-taken" });
    expect(
      reply
        .json<ProblemBody>()
        .errors?.map(({ path }) => path)
        .sort(),
    ).toEqual(["email", "username"]);
  });

  test("SI-11 twenty at once for one address make exactly one account, and no 500", async () => {
    const before = await rows("account");
    const replies = await Promise.all(
      Array.from({ length: 20 }, () => register({ email: "twenty@brina.example", password: PASSWORD })),
    );
    expect(replies.map(({ status }) => status).sort()).toEqual([
      201,
      ...Array.from({ length: 19 }, () => 409),
    ]);
    expect(await rows("account")).toBe(before + 1);
    expect(await rows("password_record")).toBe(before + 1);
  });

  test("PW-1 fourteen characters are refused naming the length, fifteen sign in", async () => {
    const short = await register({ email: "fourteen@brina.example", password: "x".repeat(14) });
    expect(short.json<ProblemBody>().errors?.[0]).toMatchObject({
      path: "password",
      message: expect.stringContaining("15"),
    });
    expect((await register({ email: "fifteen@brina.example", password: "fifteen letters" })).status).toBe(
      201,
    );
    await service.signIn("fifteen@brina.example", "fifteen letters");
  });

  test("PW-3 256 emoji are a password, 257 are refused, and a megabyte is not read at all", async () => {
    const password = "🦅".repeat(256);
    expect((await register({ email: "emoji@brina.example", password })).status).toBe(201);
    await service.signIn("emoji@brina.example", password);
    expect((await register({ email: "more@brina.example", password: `${password}🦅` })).status).toBe(400);
    expect((await register({ email: "more@brina.example", password: "x".repeat(2 ** 20) })).status).toBe(413);
  });

  test("PW-4 a password typed with combining accents is the same as one typed with composed ones", async () => {
    await register({ email: "accent@brina.example", password: "caff\u00e8 sul rifugio" });
    await service.signIn("accent@brina.example", "caffe\u0300 sul\u00a0rifugio");
  });

  test.each([
    ["a 300-character address", { email: `${"x".repeat(290)}@b.example`, password: PASSWORD }, "email"],
    ["NUL in the username", { username: "nu\u0000l", password: PASSWORD }, "username"],
    [
      "a line break in the name",
      { email: "n@brina.example", displayName: "a\r\nb", password: PASSWORD },
      "displayName",
    ],
    [
      "JO-5 a name that turns the direction of what follows it",
      { email: "n@brina.example", displayName: "Rosa\u202e\u2066", password: PASSWORD },
      "displayName",
    ],
    ["a number for a password", { email: "n@brina.example", password: 123456789012345 }, "password"],
    ["an empty password", { email: "n@brina.example", password: "" }, "password"],
    [
      "a control character in the password",
      { email: "n@brina.example", password: `${PASSWORD}\u0007` },
      "password",
    ],
    ["no password", { email: "n@brina.example" }, "password"],
    ["a state", { email: "n@brina.example", password: PASSWORD, state: "active" }, "state"],
    ["labels", { email: "n@brina.example", password: PASSWORD, labels: ["operator"] }, "labels"],
    ["PW-10 a hint", { email: "n@brina.example", password: PASSWORD, hint: "x" }, "hint"],
    ["PW-10 a question", { email: "n@brina.example", password: PASSWORD, question: "x" }, "question"],
    ["HT-8 verified", { email: "n@brina.example", password: PASSWORD, verified: true }, "verified"],
  ])("%s is a field error that names its field and repeats no value", async (_what, body, path) => {
    const before = await rows("account");
    const reply = await register(body);
    expect(reply.status).toBe(400);
    expect(reply.json<ProblemBody>().errors?.map((error) => error.path)).toContain(path);
    expect(reply.text).not.toContain(PASSWORD);
    expect(await rows("account")).toBe(before);
  });

  test("PW-5 a lone surrogate written as an escape is a field error, stored nowhere as U+FFFD", async () => {
    const reply = await send(service, "POST", "/v1/accounts", {
      body: `{"email":"s@brina.example","displayName":"\\ud800","password":"\\ud800 surrogate inside"}`,
      headers: { "content-type": "application/json" },
    });
    expect(reply.status).toBe(400);
    const [{ n }] = await service.dataSource.query(
      "SELECT COUNT(*) AS n FROM account WHERE displayName LIKE '%\ufffd%'",
    );
    expect(Number(n)).toBe(0);
  });

  test("HT-15 names with quotes, tags, formulas and four-byte characters are kept and given back as they are", async () => {
    const names = ['O\'Hara "x"', "<script>alert(1)</script>", "=1+1", "🏔️ Rosa", "; DROP TABLE account; --"];
    for (const [index, displayName] of names.entries()) {
      const reply = await register({ username: `literal${index}`, displayName, password: PASSWORD });
      expect(reply.json()).toMatchObject({ account: { displayName } });
    }
  });
});

describe("guessable passwords", () => {
  let short: TestService;
  beforeAll(async () => {
    short = await startService({ settings: { LUCCHETTO_PASSWORDS_MINIMUM_LENGTH: "8" } });
  });
  afterAll(() => short.stop());

  test("PW-11 the shipped list has ten thousand entries at least, and each one is refused as common, also doubled or with digits", async () => {
    const { COMMON_PASSWORDS, isListed } = await import("../src/records/password/common-passwords.ts");
    expect(COMMON_PASSWORDS.size).toBeGreaterThanOrEqual(10_000);
    const rules = { minimumLength: 8, isListed };
    const accepted = [...COMMON_PASSWORDS]
      .flatMap((entry) => [entry, entry.toUpperCase(), entry + entry, `${entry}2026`])
      .filter((password) => password.length >= 8 && preparePassword(password).ok)
      .filter((password) => judgeNewPassword(password, rules).ok);
    expect(accepted).toEqual([]);
    for (let index = 0; index < 1_000; index += 1) {
      expect(judgeNewPassword(randomBytes(12).toString("base64url"), rules).ok).toBe(true);
    }
  });

  test("PW-11 registering says why, and does not repeat the password", async () => {
    const reply = await register({ email: "common@brina.example", password: "Password2026" }, short);
    expect(reply.json<ProblemBody>().errors).toEqual([
      {
        path: "password",
        code: "password-common",
        parameters: {},
        message: expect.stringContaining("attackers try first"),
      },
    ]);
    expect(reply.text).not.toContain("Password2026");
  });

  test("PW-12 a password made of one's own names or the site's is refused; another account may use it", async () => {
    const password = "carlanevaio-brina2026";
    const own = await register({ email: "carla.nevaio@brina.example", password });
    expect(own.json<ProblemBody>().errors?.[0]?.message).toContain("made up of your name");
    expect((await register({ email: "bruno.other@brina.example", password })).status).toBe(201);
  });
});

describe("a site that does not tell", () => {
  let quiet: TestService;
  beforeAll(async () => {
    quiet = await startService({ settings: { LUCCHETTO_ACCOUNTS_TELL_TAKEN: "false" } });
  });
  afterAll(() => quiet.stop());

  test("SI-11 answers a taken address exactly as a free one, and leaves the stored record alone", async () => {
    const browser = new Visitor(quiet);
    await browser.post("/v1/accounts", { email: "anna@brina.example", password: PASSWORD });
    await browser.post("/v1/mail-links/redeem", {
      secret: secretOf(await mailTo(quiet, "anna@brina.example", "verify")),
    });
    const [before] = await quiet.dataSource.query("SELECT id FROM account");
    const free = await register({ email: "free@brina.example", password: PASSWORD }, quiet);
    const taken = await register({ email: "Anna@brina.example", password: "another long password" }, quiet);
    const visible = ({ status, text, headers }: typeof free) => ({
      status,
      text,
      headers: [...headers]
        .filter(([name]) => !["date", "x-request-id"].includes(name))
        // The mark by which a browser is known again is random, and means nothing by itself.
        .map(([name, value]) => [name, value.replace(/lcd_[\w-]{43}/, "lcd_…")]),
    });
    expect(visible(taken)).toEqual(visible(free));
    expect(free).toMatchObject({ status: 202, text: '{"outcome":"check-mail"}' });
    expect(free.headers.getSetCookie()).toEqual([expect.stringMatching(/^lucchetto-device-\d+=lcd_/)]);
    // Neither is an account before a link is used; the owner of a taken address is told by mail.
    expect(await quiet.dataSource.query("SELECT id FROM account")).toEqual([before]);
    expect(await mailTo(quiet, "anna@brina.example", "already-registered")).toMatchObject({
      links: [`${quiet.url}/sign-in`],
    });
  });

  test("still says when a username is taken", async () => {
    expect((await register({ username: "carla", password: PASSWORD }, quiet)).status).toBe(201);
    const reply = await register({ email: "c@brina.example", username: "Carla", password: PASSWORD }, quiet);
    expect(reply.status).toBe(409);
    expect(reply.json<ProblemBody>().errors?.map(({ path }) => path)).toEqual(["username"]);
  });
});
