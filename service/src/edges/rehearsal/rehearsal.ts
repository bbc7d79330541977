/** Rehearsals that the console begins: each in a process of its own, which is told what to do and tells what came. */
import type { ChildProcess } from "node:child_process";
import { spawn } from "node:child_process";
import { existsSync } from "node:fs";
import type { Readable } from "node:stream";
import type { ReceivedOf, RehearsalLine, RehearsalShown, routes } from "@lucchetto/contract";
import { readRehearsalLine } from "@lucchetto/contract";
import { linesOf } from "../../base/lines.ts";
import { REHEARSAL_MAIN } from "../../base/locations.ts";
import { ProblemReply } from "../../base/problem.ts";
import { newId } from "../../base/storage/index.ts";
import type { ServiceContext } from "../../records/context.ts";

/** Rehearsals that are kept. */
const KEPT = 20;
const BUSY = "Another rehearsal is on its way. Wait for its end, or break it off.";
/** States of steps that were not tried. */
const NOT_YET: ReadonlySet<string> = new Set(["waiting", "running"]);
/** Seconds told to who wants a second one. */
const RETRY_AFTER = 30;

type Wish = ReceivedOf<typeof routes.beginRehearsal>["body"];

export class Rehearsals {
  readonly #context: Pick<ServiceContext, "clock" | "configuration">;
  #kept: RehearsalShown[] = [];
  #running: { readonly id: string; readonly child: ChildProcess; readonly ended: Promise<void> } | null =
    null;

  constructor(context: Pick<ServiceContext, "clock" | "configuration">) {
    this.#context = context;
  }

  /** The newest first. */
  list(): RehearsalShown[] {
    return this.#kept;
  }

  /** Begins one. @throws ProblemReply `too-busy` while another one goes on. */
  begin(app: RehearsalShown["app"], wish: Wish): RehearsalShown {
    if (this.#running !== null) throw new ProblemReply("too-busy", { retryAfter: RETRY_AFTER, detail: BUSY });
    const now = this.#context.clock.now();
    const id = newId(now);
    const begun: RehearsalShown = {
      id,
      app,
      closed: wish.closed,
      state: "running",
      beganAt: now.toISOString(),
      endedAt: null,
      passed: false,
      why: null,
      leftBehind: null,
      steps: [],
    };
    this.#kept = [begun, ...this.#kept].slice(0, KEPT);
    if (!existsSync(REHEARSAL_MAIN)) {
      this.#change(id, { state: "broken-off", why: "The rehearsal is not built here. Run: npm run build" });
      return this.#find(id);
    }
    const child = spawn(process.execPath, [REHEARSAL_MAIN, JSON.stringify(this.#optionsOf(app, wish))], {
      env: {
        PATH: process.env["PATH"] ?? "",
        ...(process.env["CHROMIUM"] === undefined ? {} : { CHROMIUM: process.env["CHROMIUM"] }),
      },
      stdio: ["pipe", "pipe", "ignore"],
    });
    const heard = this.#hearAll(id, child.stdout);
    const over = new Promise<void>((resolve) => {
      child.once("error", () => resolve());
      child.once("close", () => resolve());
    });
    const ended = Promise.all([heard, over]).then(() => {
      this.#running = null;
      const { why, steps } = this.#find(id);
      const isWhole = why === null && steps.length > 0 && steps.every(({ state }) => !NOT_YET.has(state));
      this.#change(
        id,
        isWhole ? { state: "ended" } : { state: "broken-off", why: why ?? "Not all was tried." },
      );
    });
    this.#running = { id, child, ended };
    return begun;
  }

  /** Breaks one off. @throws ProblemReply `not-found`. */
  end(id: string): void {
    this.#find(id);
    if (this.#running?.id === id) this.#running.child.stdin?.end();
  }

  async close(): Promise<void> {
    this.#running?.child.stdin?.end();
    await this.#running?.ended;
  }

  #optionsOf({ address }: RehearsalShown["app"], wish: Wish): object {
    return {
      app: address,
      service: this.#context.configuration.publicUrl,
      open: wish.open,
      closed: wish.closed,
      closedApi: wish.closedApi ?? null,
      closedLevel2: wish.closedLevel2 ?? null,
      movesClock: wish.moveClock,
    };
  }

  /** Until its output ends; what is no line of a rehearsal is passed over. */
  async #hearAll(id: string, output: Readable): Promise<void> {
    try {
      for await (const letters of linesOf(output as AsyncIterable<Buffer>)) {
        const line = readRehearsalLine(Buffer.from(letters ?? "", "latin1").toString("utf8"));
        if (line !== null) this.#hear(id, line);
      }
    } catch {
      // A pipe that broke: the process is gone, and what it left untried says so.
    }
  }

  #hear(id: string, line: RehearsalLine): void {
    const { steps } = this.#find(id);
    switch (line.kind) {
      case "steps":
        return this.#change(id, {
          steps: line.steps.map((step, index) => ({
            ...step,
            state: index === 0 ? "running" : "waiting",
            came: "",
            remedy: "",
            milliseconds: null,
          })),
        });
      case "step": {
        const at = steps.findIndex((step) => step.id === line.id);
        const { kind: _kind, ...came } = line;
        return this.#change(id, {
          steps: steps.map((step, index) => {
            if (index === at) return { ...step, ...came };
            return index === at + 1 ? { ...step, state: "running" } : step;
          }),
        });
      }
      case "end":
        return this.#change(id, { passed: line.passed, leftBehind: line.leftBehind });
      default:
        return this.#change(id, { why: line.why });
    }
  }

  #change(id: string, to: Partial<RehearsalShown>): void {
    const isOver = to.state !== undefined && to.state !== "running";
    const endedAt = isOver ? { endedAt: this.#context.clock.now().toISOString() } : {};
    // What had not been reached any more waits for ever.
    this.#kept = this.#kept.map((one) => (one.id === id ? { ...one, ...to, ...endedAt } : one));
  }

  #find(id: string): RehearsalShown {
    const found = this.#kept.find((one) => one.id === id);
    if (found === undefined) throw new ProblemReply("not-found");
    return found;
  }
}
