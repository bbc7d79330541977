/** Runs in a worker thread: one digest after the other. */
import { parentPort } from "node:worker_threads";
import { argon2id, bcrypt } from "hash-wasm";
import { md5Crypt, shaCrypt } from "./crypt-digest.mjs";

parentPort?.on("message", async (/** @type {import("./threads.ts").DigestTask} */ task) => {
  parentPort?.postMessage(await answer(task));
});

/**
 * @param {import("./threads.ts").DigestTask} task
 * @returns {Promise<import("./threads.ts").DigestAnswer>}
 */
async function answer(task) {
  try {
    return { digest: await compute(task) };
  } catch (error) {
    return { fault: error instanceof Error ? error.message : String(error) };
  }
}

/**
 * @param {import("./threads.ts").DigestTask} task
 * @returns {Promise<Uint8Array> | Uint8Array}
 */
function compute(task) {
  const { password, salt } = task;
  if (task.algorithm === "bcrypt") {
    return bcrypt({ password, salt, costFactor: task.cost, outputType: "binary" });
  }
  if (task.algorithm === "unix-crypt") {
    return task.digest === "md5" ? md5Crypt(task) : shaCrypt(task.digest, task);
  }
  return argon2id({
    password,
    salt,
    memorySize: task.m,
    iterations: task.t,
    parallelism: task.p,
    hashLength: task.length,
    outputType: "binary",
  });
}
