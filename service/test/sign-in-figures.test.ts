/** How people sign in, counted; and who must have a second factor. */
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { addPasskey, signInBy } from "../../testing/passkey.ts";
import { enrolAuthenticator } from "../../testing/second-factor.ts";
import type { TestService } from "../../testing/service.ts";
import { PASSWORD, startService } from "../../testing/service.ts";
import { Visitor } from "../../testing/visitor.ts";
import { countWays, storeSignInCounts } from "../src/records/sign-in/store.ts";

let service: TestService;
beforeAll(async () => {
  service = await startService({
    settings: {
      LUCCHETTO_SECOND_FACTOR_REQUIRED: "[keeper]",
      LUCCHETTO_SECOND_FACTOR_PASSKEY_ONLY: "[warden]",
    },
  });
});
afterAll(() => service.stop());

const DAY = 24 * 3_600_000;

async function somebody(name: string, label?: string) {
  const email = `${name}@brina.example`;
  const { id, token } = await service.register(email);
  const labels = JSON.stringify(label === undefined ? [] : [label]);
  await service.dataSource.query("UPDATE account SET labels = ? WHERE id = ?", [labels, id]);
  return { id, email, token };
}

async function showPassword(identifier: string) {
  const proof = { type: "password", identifier, password: PASSWORD } as const;
  const { body } = await service.client(routes.signIn, { body: { proof, deliver: "token" } });
  return body;
}

test("ways to sign in are counted by the day, and outlive the journal", async () => {
  const anna = await somebody("anna");
  const bruno = await somebody("bruno");
  await showPassword(anna.email);
  const app = await enrolAuthenticator(service, bruno.token);
  const signInWithBoth = async () => {
    const { token = "" } = await showPassword(bruno.email);
    const proof = { type: "totp", code: await app.nextCode() } as const;
    await service.as(token)(routes.addProof, { body: { proof } });
  };
  await signInWithBoth();
  const figures = async () => (await service.as(await service.operator())(routes.showSignInFigures)).body;
  const first = (await figures()).days.at(-1);
  const byPassword = first?.ways.find(({ proofs }) => proofs.join() === "password")?.signIns ?? 0;
  expect(byPassword).toBeGreaterThan(0);
  expect(first?.ways).toContainEqual({ proofs: ["password", "totp"], signIns: 1 });

  await storeSignInCounts(service.dataSource, await countWays(service.dataSource, null));
  // What comes after a count on the same day is not lost when the clock leaps over the rest of it.
  await showPassword(anna.email);
  await service.clock.advance(3 * DAY);
  await signInWithBoth();
  const second = (await figures()).days;
  expect(second).toHaveLength(2);
  expect(second[0]?.ways).toEqual([
    { proofs: ["password"], signIns: byPassword + 1 },
    { proofs: ["password", "totp"], signIns: 1 },
  ]);
  expect(second[1]?.ways).toContainEqual({ proofs: ["password", "totp"], signIns: 1 });

  await storeSignInCounts(service.dataSource, await countWays(service.dataSource, first?.day ?? null));
  await service.dataSource.query("DELETE FROM journal_entry WHERE at < ?", [second[1]?.day]);
  expect((await figures()).days[0]).toEqual(second[0]);
  // Set back, the clock counts anew from the day that it shows.
  await service.clock.reset();
  await showPassword(anna.email);
  const { ways = [] } = (await figures()).days.find(({ day }) => day === first?.day) ?? {};
  expect(ways.map(({ proofs }) => proofs)).toContainEqual(["password"]);
});

test("SI-10 operators see who must have a second factor and has none", async () => {
  const office = service.as(await service.operator());
  const before = (await office(routes.showSignInFigures)).body;
  expect(before.duty).toMatchObject({
    everybody: false,
    labels: ["keeper", "warden"],
    passkeyOnly: ["warden"],
    accounts: 0,
    missing: 0,
  });
  const carla = await somebody("carla", "keeper");
  const dario = await somebody("dario", "keeper");
  await enrolAuthenticator(service, dario.token);
  // For a warden an app does not count, a passkey does.
  const elena = await somebody("elena", "warden");
  await enrolAuthenticator(service, elena.token);
  const fabio = await somebody("fabio", "warden");
  const { passkey } = await addPasskey(service, fabio.token);
  await signInBy(service, new Visitor(service), passkey);
  const gone = await somebody("gino", "keeper");
  await service.dataSource.query("UPDATE account SET state = 'suspended' WHERE id = ?", [gone.id]);

  const { accounts, duty, days } = (await office(routes.showSignInFigures)).body;
  expect(duty).toMatchObject({ accounts: 4, missing: 2 });
  expect(accounts.withAuthenticator - before.accounts.withAuthenticator).toBe(2);
  expect(accounts.withPasskey - before.accounts.withPasskey).toBe(1);
  expect(accounts.withSecondFactor - before.accounts.withSecondFactor).toBe(3);
  expect(accounts.active - before.accounts.active).toBe(4);
  expect(days.flatMap(({ ways }) => ways)).toContainEqual({ proofs: ["passkey"], signIns: 1 });

  const listed = async (secondFactor: "present" | "none" | "missing") => {
    const { body } = await office(routes.listAccounts, { query: { secondFactor, limit: 100 } });
    return body.items.map(({ email }) => email);
  };
  expect(await listed("missing")).toEqual([elena.email, carla.email]);
  expect(await listed("present")).toEqual(expect.arrayContaining([dario.email, elena.email, fabio.email]));
  expect(await listed("present")).toHaveLength(accounts.withSecondFactor);
  expect(await listed("none")).toHaveLength(accounts.active - accounts.withSecondFactor);
  expect(await listed("none")).not.toContain(gone.email);
});
