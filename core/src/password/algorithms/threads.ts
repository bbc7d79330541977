/** Digests that node does not compute off the event loop by itself run in worker threads, so that it goes on meanwhile. */
import { Worker } from "node:worker_threads";

/** What a thread is asked; see `digest-thread.mjs`. */
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
    }
  | {
      readonly algorithm: "unix-crypt";
      readonly digest: "md5" | "sha256" | "sha512";
      readonly password: Uint8Array;
      readonly salt: Uint8Array;
      readonly rounds: number;
    };

/** What a thread answers. */
export type DigestAnswer = { readonly digest: Uint8Array } | { readonly fault: string };

/** Milliseconds after which a thread that has nothing to do ends, and its memory with it. */
const IDLE = 5_000;

/** The process may have been started with options that a thread cannot have, such as those of `node -e`. */
const OPTIONS = { execArgv: [] };

interface Thread {
  readonly worker: Worker;
  /** Whoever waits for its answer. */
  asked: { readonly resolve: (answer: DigestAnswer) => void; readonly reject: (error: Error) => void } | null;
  /** Ends it when it has had nothing to do for long enough. */
  timer?: NodeJS.Timeout;
}

class ThreadDied extends Error {
  override readonly name = "ThreadDied";
}

/** Threads that wait for work. */
const idle: Thread[] = [];

/**
 * Computes a digest in a thread of its own, one that is idle or a new one: as many run at once as are asked for, so
 * whoever asks bounds them. Idle threads keep no process alive. A thread that dies is never used again; what it was asked
 * is asked once more, of a new one.
 */
export async function digestInThread(task: DigestTask): Promise<Uint8Array> {
  let answer: DigestAnswer;
  try {
    answer = await ask(takeIdle() ?? startThread(), task);
  } catch (error) {
    if (!(error instanceof ThreadDied)) throw error;
    answer = await ask(startThread(), task);
  }
  if ("fault" in answer) throw new Error(`the ${task.algorithm} digest failed: ${answer.fault}`);
  return answer.digest;
}

function startThread(): Thread {
  // Found by its name: this file may be part of a bundle that lies elsewhere.
  const worker = new Worker(new URL(import.meta.resolve("@lucchetto/core/digest-thread")), OPTIONS);
  const thread: Thread = { worker, asked: null };
  const endAsked = (why: string): void => {
    forget(thread);
    thread.asked?.reject(new ThreadDied(why));
    thread.asked = null;
  };
  worker.on("message", (answer: DigestAnswer) => {
    thread.asked?.resolve(answer);
    thread.asked = null;
  });
  worker.on("error", (error) => endAsked(`the thread failed: ${error.message}`));
  worker.on("exit", (code) => endAsked(`the thread ended with code ${code}`));
  return thread;
}

async function ask(thread: Thread, task: DigestTask): Promise<DigestAnswer> {
  thread.worker.ref();
  try {
    const answer = await new Promise<DigestAnswer>((resolve, reject) => {
      thread.asked = { resolve, reject };
      thread.worker.postMessage(task);
    });
    putAside(thread);
    return answer;
  } finally {
    thread.worker.unref();
  }
}

function takeIdle(): Thread | undefined {
  const taken = idle.pop();
  clearTimeout(taken?.timer);
  return taken;
}

function putAside(thread: Thread): void {
  thread.timer = setTimeout(() => {
    forget(thread);
    void thread.worker.terminate();
  }, IDLE).unref();
  idle.push(thread);
}

function forget(thread: Thread): void {
  clearTimeout(thread.timer);
  const index = idle.indexOf(thread);
  if (index !== -1) idle.splice(index, 1);
}
