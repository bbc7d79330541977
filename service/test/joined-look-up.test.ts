import { afterEach, beforeEach, describe, expect, jest, test } from "@jest/globals";
import { joinLookUps } from "../src/base/storage/joined-look-up.ts";

const keyOf = (text: string) => Buffer.from(text);
const turn = () => new Promise((resolve) => setImmediate(resolve));

// How long somebody waits is the tests' own matter; turns of the event loop are real.
beforeEach(() => void jest.useFakeTimers({ doNotFake: ["setImmediate", "nextTick"] }));
afterEach(() => void jest.useRealTimers());

describe("look-ups that wait at one moment", () => {
  test("are one question; each gets its own row, and equal ones the same", async () => {
    const asked: string[][] = [];
    const find = joinLookUps(
      (keys) => {
        asked.push(keys.map(String));
        return Promise.resolve(keys.filter((key) => String(key) !== "nobody").map((key) => ({ key })));
      },
      ({ key }) => key,
    );
    const rows = await Promise.all(["anna", "bruno", "nobody", "anna"].map((name) => find(keyOf(name))));
    expect(rows.map((row) => row && String(row.key))).toEqual(["anna", "bruno", null, "anna"]);
    expect(asked).toEqual([["anna", "bruno", "nobody"]]);
  });

  test("SE-15 a question on its way answers nobody who came after it", async () => {
    let label = "before";
    const answers: Array<() => void> = [];
    const find = joinLookUps<{ key: Buffer; label: string }>(
      (keys) => {
        const rows = keys.map((key) => ({ key, label }));
        return new Promise((resolve) => answers.push(() => resolve(rows)));
      },
      ({ key }) => key,
    );
    const first = find(keyOf("anna"));
    await turn();
    label = "after";
    const second = find(keyOf("anna"));
    await turn();
    // Alone it is not worth a question beside the one under way; it has one of its own afterwards.
    expect(answers).toHaveLength(1);
    answers.shift()?.();
    expect((await first)?.label).toBe("before");
    await turn();
    answers.shift()?.();
    expect((await second)?.label).toBe("after");

    // Many that wait are asked for beside it, and each is answered by its own question.
    label = "slow";
    const slow = find(keyOf("anna"));
    await turn();
    label = "beside";
    const many = Array.from({ length: 8 }, (_, index) => find(keyOf(`guest ${index}`)));
    const again = find(keyOf("anna"));
    await turn();
    expect(answers).toHaveLength(2);
    answers[1]?.();
    expect((await Promise.all([...many, again])).map((row) => row?.label)).toEqual(Array(9).fill("beside"));
    answers[0]?.();
    expect((await slow)?.label).toBe("slow");
  });

  test("HK-1 a question that hangs keeps nobody waiting who came after it", async () => {
    let asked = 0;
    const find = joinLookUps<{ key: Buffer }>(
      (keys) => {
        asked += 1;
        return asked === 1 ? new Promise(() => undefined) : Promise.resolve(keys.map((key) => ({ key })));
      },
      ({ key }) => key,
    );
    void find(keyOf("hangs"));
    await turn();
    for (const name of ["anna", "bruno"]) {
      const found = find(keyOf(name));
      await turn();
      jest.advanceTimersByTime(20);
      expect(String((await found)?.key)).toBe(name);
    }
    expect(asked).toBe(3);
  });

  test("a question that fails fails those who waited for it, and no others; a thousand are a few questions", async () => {
    let fails = true;
    let questions = 0;
    const find = joinLookUps(
      (keys) => {
        questions += 1;
        return fails ? Promise.reject(new Error("away")) : Promise.resolve(keys.map((key) => ({ key })));
      },
      ({ key }) => key,
    );
    await expect(find(keyOf("anna"))).rejects.toThrow("away");
    fails = false;
    expect(await find(keyOf("anna"))).not.toBeNull();
    questions = 0;
    const all = await Promise.all(Array.from({ length: 1_000 }, (_, index) => find(keyOf(String(index)))));
    expect(all.map((row) => Number(String(row?.key)))).toEqual(
      Array.from({ length: 1_000 }, (_, index) => index),
    );
    expect(questions).toBe(5);
  });
});
