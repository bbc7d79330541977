import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { digest, importingInto, planOf, SALTED } from "../../testing/import.ts";
import type { TestService } from "../../testing/service.ts";
import { json, send } from "../../testing/service.ts";
import { startShipped } from "../../testing/shipped-service.ts";
import { mailTo, secretOf, Visitor } from "../../testing/visitor.ts";

let service: TestService;
beforeAll(async () => {
  service = await startShipped();
});
afterAll(() => service.stop());
const { file, importRun, statusOf, signIn, dump } = importingInto(() => service);

describe("a recipe that was wrong", () => {
  test("is corrected by an operator who knows one password; the digests stay, and the other operators are told", async () => {
    const rows = ["vera", "walter"].map(
      (name) => `${name},${name}@old.example,${digest("sha1", `${name} on the north side#s`)},s`,
    );
    file("wrong.csv", ["login,mail,pw,salt", ...rows].join("\n"));
    const { report } = await importRun(file("wrong.yaml", planOf("wrong.csv", SALTED)), ["--unproven"]);
    expect(await signIn("vera", "vera on the north side")).toBe(401);
    const other = await service.register("other.office@brina.example");
    await service.dataSource.query(
      "UPDATE account SET labels = '[\"operator\"]', emailVerifiedAt = NOW(3) WHERE id = ?",
      [other.id],
    );
    const token = await service.operator();
    const [recipe] = (await statusOf(report.id)).recipes;
    const right = 'hex(sha1(concat(password, "#", salt)))';
    const correct = async (change: object, as = token) => {
      const { body, headers } = json({
        text: right,
        identifier: "vera",
        password: "vera on the north side",
        ...change,
      });
      const path = `/v1/operator/intakes/${report.id}/recipes/${recipe?.id}`;
      const sent = { body, headers: { ...headers, authorization: `Bearer ${as}` } };
      const answer = await send(service, "PATCH", path, sent);
      return {
        status: answer.status,
        code: answer.json<{ errors?: Array<{ code: string }> }>().errors?.[0]?.code,
      };
    };
    for (const [body, code] of [
      [{ password: "walter on the north side" }, "recipe-not-fitting"],
      [{ text: "hex(sha1(concat(password, salt)))" }, "recipe-not-fitting"],
      // The old digest itself would sign in.
      [{ text: "password", password: digest("sha1", "vera on the north side#s") }, "recipe-unsound"],
      [{ text: "lower(password)", password: digest("sha1", "vera on the north side#s") }, "recipe-unsound"],
      [{ identifier: "aldo" }, "not-of-recipe"],
      [{ identifier: "nobody.at.all" }, "not-of-recipe"],
    ] as const) {
      expect([body, await correct(body)]).toEqual([body, { status: 400, code }]);
    }
    const { token: somebody } = await service.register("somebody@brina.example");
    expect((await correct({}, somebody)).status).toBe(403);
    expect(await statusOf(report.id)).toMatchObject({ recipes: [{ isProven: false }] });

    expect((await correct({})).status).toBe(200);
    expect(await statusOf(report.id)).toMatchObject({
      recipes: [{ id: recipe?.id, text: right, isProven: true }],
    });
    for (const name of ["vera", "walter"]) {
      expect(await signIn(name, digest("sha1", `${name} on the north side#s`))).toBe(401);
      expect(await signIn(name, `${name} on the north side`)).toBe(201);
    }
    expect((await correct({})).code).toBe("not-of-recipe");
    const mails = await service.as(token)(routes.listMailbox, { query: {} });
    const told = mails.body.items.filter(({ subject }) =>
      /recipe of imported passwords was corrected/.test(subject),
    );
    expect(told.map(({ to }) => to)).toEqual(["other.office@brina.example"]);
    const journal = await service.as(token)(routes.listJournal, {
      query: { kind: "intake.recipe-corrected" },
    });
    expect(journal.body.items).toHaveLength(1);
  });
});

describe("an imported person whose address nobody has proved yet", () => {
  test("SI-12 keeps the second factor that came along: a reset by mail sets the password, and the factor is asked", async () => {
    const totp = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ";
    const old = digest("sha1", "szoe before the first proof");
    file("zoe.csv", `login,mail,pw,salt,totp\nzoe,zoe@brina.example,${old},s,${totp}\n`);
    await importRun(
      file("zoe.yaml", planOf("zoe.csv", SALTED, "username: login\n  email: mail\n  totpSecret: totp")),
      ["--unproven"],
    );
    expect(await dump()).not.toContain(totp);
    const visitor = new Visitor(service);
    await visitor.post("/v1/mail-links", { purpose: "reset", identifier: "zoe@brina.example" });
    const secret = secretOf(await mailTo(service, "zoe@brina.example", "reset"));
    const password = "a new one by the proved mailbox";
    expect((await visitor.post("/v1/mail-links/redeem", { secret, password })).status).toBe(200);
    expect(await signIn("zoe", "zoe before the first proof")).toBe(401);
    expect(await signIn("zoe", password)).toBe(202);
    const [row] = await service.dataSource.query(
      "SELECT replacedAt FROM imported_password JOIN account ON account.id = accountId WHERE usernameKey = 'zoe'",
    );
    expect(row.replacedAt).not.toBeNull();
  });
});
