/** Who changes the journal in the database is found out; who only works with it is not. */
import { randomBytes } from "node:crypto";
import { mkdtempSync, rmSync, statSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { JournalVerification, Open } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { readKeyRing } from "@lucchetto/core";
import { asRoot, createTestDatabase } from "../../testing/database.ts";
import { eventually, textIn } from "../../testing/eventually.ts";
import type { InProcessService } from "../../testing/service.ts";
import { send, startService } from "../../testing/service.ts";
import { isWhole } from "../../testing/whole.ts";
import { chainWaiting } from "../src/records/journal/chain.ts";

const DAY = 24 * 3_600_000;

let service: InProcessService;
let operator: string;
beforeAll(async () => {
  service = await startService();
  operator = await service.operator();
});
afterAll(() => service.stop());

const headOf = async (at: InProcessService, token: string) =>
  (await at.as(token)(routes.showJournalHead)).body;

/** Waits until all that was written is chained. @returns the head. */
async function chained(at = service, token = operator): Promise<string> {
  await eventually(async () => (await headOf(at, token)).waiting === 0, "everything is chained");
  return (await headOf(at, token)).head ?? "";
}

/** As a client goes through it. @returns the last part, or the first with a flaw. */
async function verify(
  query: { after?: number; head?: string } = {},
  at = service,
  token = operator,
): Promise<Open<JournalVerification>> {
  for (let after = query.after ?? 0; ;) {
    const { body } = await at.as(token)(routes.verifyJournal, { query: { ...query, after } });
    if (body.next === null || body.flaw !== null) return body;
    after = body.next;
  }
}

/** Something that is written down, and costs little: a code that nobody gave out. */
async function happen(
  at: InProcessService,
  times: number,
  app: { clientId: string; key: string },
): Promise<void> {
  const authorization = `Basic ${Buffer.from(`${app.clientId}:${app.key}`).toString("base64")}`;
  const headers = { authorization, "content-type": "application/x-www-form-urlencoded" };
  const body = new URLSearchParams({
    grant_type: "authorization_code",
    code: `lcc_${"A".repeat(43)}`,
    redirect_uri: "http://localhost:9999/signed-in",
    code_verifier: "v".repeat(43),
  }).toString();
  const lane = async () => {
    for (let left = times / 10; left > 0; left -= 1)
      expect((await send(at, "POST", "/oauth/token", { headers, body })).status).toBe(400);
  };
  await Promise.all(Array.from({ length: 10 }, lane));
}

/** Nothing is chained meanwhile: mails go out when they do, and that is written down too. */
async function standStill<Result>(work: (head: string) => Promise<Result>): Promise<Result> {
  await chained();
  // A claim is honoured for some seconds only.
  const claim = () =>
    service.dataSource.query(
      "UPDATE journal_chain SET claim = '01900000-0000-7000-8000-00000000000f', claimedUntil = UTC_TIMESTAMP(3) + INTERVAL 4 SECOND",
    );
  await claim();
  const holding = setInterval(() => void claim(), 500);
  try {
    return await work((await headOf(service, operator)).head ?? "");
  } finally {
    clearInterval(holding);
    await service.dataSource.query("UPDATE journal_chain SET claim = NULL, claimedUntil = NULL");
  }
}

/** The note of where the chain ends. */
const noted = async () => {
  const [row] = await service.dataSource.query<
    Array<{ headPosition: number; headDigest: Buffer; headSeal: string }>
  >("SELECT headPosition, headDigest, headSeal FROM journal_chain");
  return [Number(row?.headPosition), row?.headDigest, row?.headSeal] as const;
};
const note = (head: readonly unknown[]) =>
  service.dataSource.query("UPDATE journal_chain SET headPosition = ?, headDigest = ?, headSeal = ?", [
    ...head,
  ]);

describe("a chained journal", () => {
  /** Does something to the database, looks, and undoes it. */
  async function flawAfter(change: string, undo: string, query: { head?: string } = {}) {
    await service.dataSource.query(change);
    try {
      return (await verify(query)).flaw;
    } finally {
      await service.dataSource.query(undo);
    }
  }
  const entryAt = async (position: number) => {
    const [row] = await service.dataSource.query<Array<{ id: string; kind: string }>>(
      "SELECT id, kind FROM journal_entry WHERE position = ?",
      [position],
    );
    return row ?? { id: "", kind: "" };
  };

  test("JO-9 changed, removed, swapped, forged: each is found where it is; untouched, it holds", async () => {
    for (const name of ["anna", "bruno", "carla", "dario"]) await service.register(`${name}@brina.example`);
    await standStill(async (kept) => {
      const last = Number(kept.split(".")[0]);
      expect(last).toBeGreaterThan(6);
      expect(await verify({ head: kept })).toMatchObject({ after: 0, last, flaw: null, heldHead: true });

      const { id, kind } = await entryAt(4);
      const set = (what: string) => `UPDATE journal_entry SET ${what} WHERE id = '${id}'`;
      const flaw = (what: string) => ({ position: 4, entryId: what === "missing" ? null : id, what });
      const changes = [
        ["changed", "kind = 'session.signed-out'", `kind = '${kind}'`],
        ["changed", "at = at + INTERVAL 1 SECOND", "at = at - INTERVAL 1 SECOND"],
        ["changed", "reason = 'mistake'", "reason = NULL"],
        ["forged", "seal = CONCAT(seal, 'x')", "seal = LEFT(seal, LENGTH(seal) - 1)"],
        ["missing", "position = -1", "position = 4"],
      ] as const;
      for (const [what, change, back] of changes)
        expect(await flawAfter(set(change), set(back))).toEqual(flaw(what));
      const swap = (one: number, other: number) =>
        `UPDATE journal_entry SET position = CASE position WHEN ${one} THEN ${other} ELSE ${one} END WHERE position IN (${one}, ${other})`;
      expect(await flawAfter(swap(4, 5), swap(4, 5))).toMatchObject({ position: 4, what: "changed" });
      expect(await verify({ head: kept })).toMatchObject({ last, flaw: null, heldHead: true });
    });
  });

  test("JO-9 an end that was cut off is found, and one that was made the end as well", async () => {
    await standStill(async (kept) => {
      const head = await noted();
      const last = head[0];
      const cut = `UPDATE journal_entry SET position = -1 WHERE position = ${last}`;
      const undo = `UPDATE journal_entry SET position = ${last} WHERE position = -1`;
      const missing = { position: last, entryId: null, what: "missing" };
      expect(await flawAfter(cut, undo)).toEqual(missing);
      const [before] = await service.dataSource.query<Array<{ digest: Buffer; seal: string }>>(
        `SELECT digest, seal FROM journal_entry WHERE position = ${last - 1}`,
      );
      await note([last - 1, before?.digest, before?.seal]);
      expect(await flawAfter(cut, undo)).toEqual({ position: last - 1, entryId: null, what: "forged" });
      await note(head);
      expect(await verify({ head: kept })).toMatchObject({ last, flaw: null, heldHead: true });
    });
  });

  test("JO-9 an end that was put back to one of before is found by a kept head, and by the instance that knew it", async () => {
    await chained();
    const then = await noted();
    const from = then[0];
    await service.register("elena@brina.example");
    await standStill(async (kept) => {
      await note(then);
      await service.dataSource.query(`DELETE FROM journal_entry WHERE position > ${from}`);
      expect(await verify()).toMatchObject({ last: from, flaw: null });
      const cut = { position: from + 1, entryId: null, what: "cut" };
      expect(await verify({ head: kept })).toMatchObject({ flaw: cut, heldHead: false });
    });

    // It goes on, and the gap stays; behind it all is well.
    await service.register("fabio@brina.example");
    await chained();
    expect(service.log()).toContain("the journal's chain was changed in the database by somebody else");
    expect((await verify()).flaw).toEqual({ position: from + 1, entryId: null, what: "missing" });
    expect(await verify({ after: from + 2 })).toMatchObject({ flaw: null });
    // A trace is not swept away.
    await service.clock.advance(800 * DAY);
    await service.sweep();
    expect(service.log()).toContain(`does not hold together at position ${from + 1}`);
    expect((await entryAt(1)).id).not.toBe("");
    await service.clock.reset();
  });

  test("S5 a claim for ever is not honoured: it is chained all the same", async () => {
    operator = await service.operator();
    await chained();
    await service.dataSource.query(
      "UPDATE journal_chain SET claim = UUID(), claimedUntil = '9999-12-31 00:00:00'",
    );
    await service.register("greta@brina.example");
    await chained();
  });

  test("S5 an entry outside the chain, and one that nobody ever chained, are found; a stop is logged", async () => {
    await standStill(async () => {
      const { id } = await entryAt(5);
      const known = Number((await verify({ after: 6 })).last);
      const [copy] = await service.dataSource.query<Array<{ columns: string }>>(
        "SELECT GROUP_CONCAT(column_name) AS columns FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name = 'journal_entry' AND column_name NOT IN ('id', 'position')",
      );
      for (const [position, what] of [
        ["0", "outside"],
        ["-7", "outside"],
      ] as const) {
        const forged = "01900000-0000-7000-8000-0000000000aa";
        const insert = `INSERT INTO journal_entry (id, position, ${copy?.columns}) SELECT '${forged}', ${position}, ${copy?.columns} FROM journal_entry WHERE id = '${id}'`;
        await service.dataSource.query(insert);
        const { flaw } = await verify({ after: known });
        await service.dataSource.query("DELETE FROM journal_entry WHERE id = ?", [forged]);
        expect(flaw).toEqual({ position: Number(position), entryId: forged, what });
      }
      await service.register("hanna@brina.example");
      expect((await verify({ after: known })).flaw).toBeNull();
      await service.clock.advance(3 * 3_600_000);
      operator = await service.operator();
      expect((await verify({ after: known })).flaw).toMatchObject({ what: "unchained" });
      await eventually(
        () => service.log().includes("has not been chained for minutes"),
        "the stop is logged",
      );
    });
    await chained();
    expect((await verify({ after: 6 })).flaw?.what).not.toBe("unchained");
    await service.clock.reset();
  });

  test("nobody but operators sees any of it, and what is asked must make sense", async () => {
    const { token } = await service.register("gino@brina.example");
    for (const path of ["head", "verification"]) {
      const headers = { authorization: `Bearer ${token}` };
      expect((await send(service, "GET", `/v1/operator/journal/${path}`)).status).toBe(401);
      expect((await send(service, "GET", `/v1/operator/journal/${path}`, { headers })).status).toBe(403);
    }
    operator = await service.operator();
    const headers = { authorization: `Bearer ${operator}` };
    for (const query of ["after=-1", "after=x", "head=7", `head=1.${"A".repeat(44)}`, "limit=3"]) {
      const reply = await send(service, "GET", `/v1/operator/journal/verification?${query}`, { headers });
      expect([query, reply.status]).toEqual([query, 400]);
    }
    expect(await verify({ after: 1_000_000 })).toMatchObject({ next: null });
  });
});

test("JO-9 two instances write many events beside each other; erasing somebody and letting go what has had its time keep it whole", async () => {
  const one = await startService();
  const two = await startService({ beside: one });
  try {
    const token = await one.operator();
    const { app, key } = (
      await one.as(token)(routes.addApp, {
        body: { clientId: "huts", name: "Huts", redirectUris: ["http://localhost:9999/signed-in"] },
      })
    ).body;
    const { id } = await one.register("nora@brina.example");
    await one.as(token)(routes.eraseAccount, { params: { id } });
    const early = await chained(one, token);
    const each = isWhole ? 150 : 60;
    await Promise.all([happen(one, each, { ...app, key }), happen(two, each, { ...app, key })]);
    const head = await chained(one, token);
    expect((await headOf(one, token)).chained).toBeGreaterThan(2 * each);
    expect(await verify({ head }, two, token)).toMatchObject({ flaw: null, heldHead: true });
    expect(JSON.stringify(await one.dataSource.query("SELECT * FROM journal_entry"))).not.toContain("nora");

    await one.clock.advance(401 * DAY);
    const later = await one.operator();
    await chained(one, later);
    await one.sweep();
    const [row] = await one.dataSource.query<Array<{ left: number; first: number }>>(
      "SELECT COUNT(*) AS `left`, MIN(position) AS first FROM journal_entry",
    );
    expect(Number(row?.left)).toBeLessThan(20);
    expect(Number(row?.first)).toBeGreaterThan(2 * each);
    // Behind what went the chain begins, and what went before that is known no more.
    expect(await verify({ head }, one, later)).toMatchObject({ flaw: null, heldHead: true });
    expect(await verify({ head: early }, one, later)).toMatchObject({ flaw: null, heldHead: null });
  } finally {
    await two.stop();
    await one.stop();
  }
});

test("S5 JO-9 an end that was put back while nothing ran is found by the head that the service kept in a file", async () => {
  const database = await createTestDatabase();
  const folder = mkdtempSync(join(tmpdir(), "lucchetto-head-"));
  const headFile = join(folder, "head.txt");
  const keys = { current: "k1", keys: { k1: randomBytes(32).toString("base64url") } };
  /** Runs for a while; the database stays. */
  const whileRunning = async <Result>(work: (at: InProcessService, token: string) => Promise<Result>) => {
    const at = await startService({
      database: { ...database, drop: async () => undefined },
      keys,
      settings: { LUCCHETTO_JOURNAL_HEAD_FILE: headFile },
    });
    try {
      return await work(at, await at.operator());
    } finally {
      await at.stop();
    }
  };
  const untrue = "does not hold the head that was kept";
  try {
    const [then] = await whileRunning(async (at, token) => {
      await chained(at, token);
      const ends = await at.dataSource.query("SELECT headPosition, headDigest, headSeal FROM journal_chain");
      await at.register("ida@brina.example");
      const head = await chained(at, token);
      await eventually(() => textIn(headFile) === head, "the head is kept");
      expect(statSync(headFile).mode & 0o777).toBe(0o600);
      return ends;
    });
    await whileRunning(async (at, token) => {
      await chained(at, token);
      expect(await verify({}, at, token)).toMatchObject({ flaw: null, heldHead: true });
      expect(at.log()).not.toContain(untrue);
    });
    const position = Number(then.headPosition);
    const literal = `X'${then.headDigest.toString("hex")}'`;
    await asRoot(
      `UPDATE journal_chain SET headPosition = ${position}, headDigest = ${literal}, headSeal = '${then.headSeal}';
       DELETE FROM journal_entry WHERE position > ${position};`,
      database.name,
    );
    await whileRunning(async (at, token) => {
      await chained(at, token);
      expect(at.log()).toContain(untrue);
      const missing = { position: position + 1, entryId: null, what: "missing" };
      expect((await verify({}, at, token)).flaw).toEqual(missing);
    });
    // One that holds nothing of use is told, and written anew.
    writeFileSync(headFile, "nothing");
    await whileRunning(async (at, token) => {
      const head = await chained(at, token);
      expect(at.log()).toContain("journal.headFile holds no head");
      await eventually(() => textIn(headFile) === head, "the head is kept");
    });
  } finally {
    await database.drop();
    rmSync(folder, { recursive: true });
  }
});

test("JO-9 a chain that was thrown away as a whole is begun anew; a kept head does not fit it", async () => {
  await standStill(async (kept) => {
    const [row] = await service.dataSource.query<Array<{ claim: string }>>("SELECT claim FROM journal_chain");
    const { dataSource, clock } = service;
    await dataSource.query("UPDATE journal_entry SET position = NULL, digest = NULL, seal = NULL");
    await dataSource.query("UPDATE journal_entry SET reason = 'never said' ORDER BY id LIMIT 1");
    await note([0, Buffer.alloc(32), null]);
    // As an instance that has just been started, and has seen nothing yet.
    const sealingKeys = readKeyRing(service.keys);
    await chainWaiting({ dataSource, sealingKeys, clock }, { claim: row?.claim ?? "", seen: 0 });
    expect(await verify()).toMatchObject({ flaw: null });
    expect((await verify({ head: kept })).flaw).toMatchObject({
      what: expect.stringMatching(/^(other|cut)$/),
    });
  });
  expect(service.log()).toContain("the journal is chained from its beginning");
});

test("JO-7 JO-9 a promoted key seals all of it anew, and heads that were kept stay good", async () => {
  const k1 = randomBytes(32).toString("base64url");
  const before = await startService({ keys: { current: "k1", keys: { k1 } } });
  const token = await before.operator();
  const kept = await chained(before, token);
  const keys = { current: "k2", keys: { k1, k2: randomBytes(32).toString("base64url") } };
  const after = await startService({ beside: before, keys });
  try {
    const sealedOtherwise = () =>
      after.dataSource.query(
        "SELECT seal FROM journal_entry WHERE seal LIKE 'k1:%' UNION SELECT headSeal FROM journal_chain WHERE headSeal LIKE 'k1:%'",
      );
    await eventually(async () => (await sealedOtherwise()).length === 0, "all is sealed under the new key");
    expect(await verify({ head: kept }, after, token)).toMatchObject({ flaw: null, heldHead: true });
    // The instance of before lacks the key: it says so, and leaves the chaining to the other.
    await before.register("nina@brina.example");
    const last = await chained(after, token);
    expect(Number(last.split(".")[0])).toBeGreaterThan(Number(kept.split(".")[0]));
    expect(await verify({ head: last }, after, token)).toMatchObject({ flaw: null, heldHead: true });
    expect((await verify({}, before, token)).flaw).toMatchObject({ what: "key-missing" });
  } finally {
    await after.stop();
    await before.stop();
  }
});
