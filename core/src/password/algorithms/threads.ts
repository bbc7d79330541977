/** The digests that are WebAssembly run in worker threads, so that the event loop goes on meanwhile. */
import { Worker } from "node:worker_threads";

/** What a thread is asked; see `wasm-digest.mjs`. */
export type DigestTask =
  | {
      readonly algorithm: "argon2id";
      readonly password: Uint8Array;
      readonly salt: Uint8Array;
      /** KiB. */
      readonly m: number;
      readonly t: number;
      readonly p: number;
      /** Bytes. */
      readonly length: number;
    }
  | {
      readonly algorithm: "bcrypt";
      readonly password: Uint8Array;
      readonly salt: Uint8Array;
      readonly cost: number;
    };

/** What a thread answers. */
export type DigestAnswer = { readonly digest: Uint8Array } | { readonly fault: string };

/** Milliseconds after which a thread that has nothing to do ends, and its memory with it. */
const IDLE = 5_000;

/** The process may have been started with options that a thread cannot have, such as those of `node -e`. */
const OPTIONS = { execArgv: [] };

/** Threads that wait for work, each with the timer that will end it. */
const idle: Array<{ readonly thread: Worker; readonly timer: NodeJS.Timeout }> = [];

/**
 * Computes a digest in a thread of its own, one that is idle or a new one: as many run at once as are asked for, so
 * whoever asks bounds them. Idle threads keep no process alive.
 */
export async function digestInThread(task: DigestTask): Promise<Uint8Array> {
  const thread = takeIdle() ?? new Worker(new URL("./wasm-digest.mjs", import.meta.url), OPTIONS);
  thread.ref();
  try {
    const answer = await ask(thread, task);
    putAside(thread);
    if ("fault" in answer) throw new Error(`the ${task.algorithm} digest failed: ${answer.fault}`);
    return answer.digest;
  } finally {
    thread.unref();
  }
}

function takeIdle(): Worker | undefined {
  const taken = idle.pop();
  clearTimeout(taken?.timer);
  return taken?.thread;
}

/** One question, one answer. A thread that dies instead rejects, and is not used again. */
function ask(thread: Worker, task: DigestTask): Promise<DigestAnswer> {
  return new Promise((resolve, reject) => {
    const leave = (): void => {
      thread.off("message", answered).off("error", failed).off("exit", ended);
    };
    const answered = (answer: DigestAnswer): void => {
      leave();
      resolve(answer);
    };
    const failed = (error: Error): void => {
      leave();
      reject(error);
    };
    const ended = (code: number): void => failed(new Error(`the thread ended with code ${code}`));
    thread.on("message", answered).on("error", failed).on("exit", ended);
    thread.postMessage(task);
  });
}

function putAside(thread: Worker): void {
  const timer = setTimeout(() => {
    const index = idle.findIndex((one) => one.thread === thread);
    if (index !== -1) idle.splice(index, 1);
    void thread.terminate();
  }, IDLE);
  timer.unref();
  idle.push({ thread, timer });
}
