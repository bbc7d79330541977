/**
 * Ends workers in which nothing happens any more; Jest reports their files as failed and goes on. A test that takes too long
 * is told by its own limit; this is for a worker that stands still as a whole, in which no timer runs either.
 */
import { readdirSync, readFileSync } from "node:fs";

const WORKER = /[/\\]jest-worker[/\\]/;

export default class Standstill {
  /** Paths of the files under way. */
  #running = new Set();
  #timer;
  #root;
  #minutes;

  /** @param options `minutes` without a test that ends, more than any single test may take. */
  constructor({ rootDir }, { minutes }) {
    this.#root = rootDir;
    this.#minutes = minutes;
  }

  onRunStart() {
    this.#wait();
  }

  onTestFileStart({ path }) {
    this.#running.add(path);
    this.#wait();
  }

  onTestCaseResult() {
    this.#wait();
  }

  onTestFileResult({ path }) {
    this.#running.delete(path);
    this.#wait();
  }

  onRunComplete() {
    clearTimeout(this.#timer);
  }

  #wait() {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => {
      const files = [...this.#running].map((path) => path.slice(this.#root.length + 1));
      process.stderr.write(
        `No test has ended for ${this.#minutes} minutes. What is under way is ended: ${files.join(", ")}\n`,
      );
      for (const worker of workers()) process.kill(worker, "SIGKILL");
      this.#wait();
    }, this.#minutes * 60_000);
  }
}

/** Of this process. */
function workers() {
  return readdirSync("/proc")
    .filter((name) => /^\d+$/.test(name))
    .map(Number)
    .filter((id) => {
      try {
        const [, parent] = /^PPid:\s+(\d+)$/m.exec(readFileSync(`/proc/${id}/status`, "utf8")) ?? [];
        return Number(parent) === process.pid && WORKER.test(readFileSync(`/proc/${id}/cmdline`, "utf8"));
      } catch {
        // It has ended meanwhile.
        return false;
      }
    });
}
