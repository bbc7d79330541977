import { once } from "node:events";
import { Worker } from "node:worker_threads";
import { expect, jest, test } from "@jest/globals";
import { argon2id } from "hash-wasm";
import { digestInThread } from "./threads.ts";

const TASK = {
  algorithm: "argon2id",
  password: Buffer.from("a good long password"),
  salt: Buffer.alloc(16, 7),
  m: 8 * 1024,
  t: 2,
  p: 1,
  length: 32,
} as const;
const wanted = await argon2id({
  ...TASK,
  memorySize: TASK.m,
  iterations: TASK.t,
  parallelism: TASK.p,
  hashLength: TASK.length,
  outputType: "hex",
});
const digest = async () => Buffer.from(await digestInThread(TASK)).toString("hex");

test("threads that die, at work or idle, cost nobody an answer", async () => {
  const asked: Worker[] = [];
  const post = jest.spyOn(Worker.prototype, "postMessage").mockImplementation(function (this: Worker, task) {
    asked.push(this);
    post.mockRestore();
    this.postMessage(task);
  });
  expect(await digest()).toBe(wanted);
  const [idle] = asked;
  // Not a task: taking it apart throws, with nobody waiting for an answer.
  idle?.postMessage(null);
  await once(idle as Worker, "exit");
  expect(await digest()).toBe(wanted);

  const killed: Array<Promise<number>> = [];
  const killing = jest.spyOn(Worker.prototype, "postMessage").mockImplementation(function (this: Worker) {
    killing.mockRestore();
    killed.push(this.terminate());
  });
  expect(await digest()).toBe(wanted);
  expect(killed).toHaveLength(1);
});

test("a fault of the task itself is told, and ends no thread", async () => {
  await expect(digestInThread({ ...TASK, m: 1 })).rejects.toThrow(/^the argon2id digest failed: /);
  expect(await digest()).toBe(wanted);
});
