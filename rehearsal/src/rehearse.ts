/** A rehearsal: the walk through somebody's application, step by step. */
import type { Browser } from "playwright-core";
import { bare } from "./bare.ts";
import { startBrowser } from "./browser.ts";
import { StepFailed, StepLeftOut } from "./failed.ts";
import type { Hints } from "./hints.ts";
import type { Step, StepResult } from "./step.ts";
import { STEPS } from "./steps.ts";
import type { Addresses, Invite } from "./walk.ts";
import { firstLine, Walk } from "./walk.ts";

export interface RehearsalOptions extends Addresses {
  /** A text that only the closed page shows; found by itself if left out. */
  readonly marker?: string;
  /** The HTTP half alone. */
  readonly withoutBrowser?: boolean;
  /** What was written down about its forms. */
  readonly hints?: Hints;
  /** Whether the service's clock may be moved, which ends sessions of others; no, if left out. */
  readonly movesClock?: boolean;
  /** Invites by mail, as somebody who may; nobody does if left out. */
  readonly invite?: Invite;
  /** Ids of the steps that are wanted; what they build on is tried as well. All, if left out. */
  readonly only?: readonly string[];
  /** A folder for a picture after each step. */
  readonly pictures?: string;
  /** Milliseconds that one page, answer or mail may take; 20 s if left out. */
  readonly deadline?: number;
  readonly onStep?: (result: StepResult) => void;
}

export interface Rehearsal {
  readonly passed: boolean;
  readonly steps: readonly StepResult[];
  /** The account that could not be erased again; `null`: nothing is left behind. */
  readonly leftBehind: string | null;
}

const USUAL_DEADLINE = 20_000;
/** Deadlines of a whole step: an application that does not answer, or leads in circles, keeps nobody. */
const DEADLINES_OF_STEP = 6;

/** Walks. @throws Error where no browser can be started. */
export async function rehearse(options: RehearsalOptions): Promise<Rehearsal> {
  const hosts = [options.app, options.service].map((address) => new URL(address).hostname);
  const browser: Browser | null = options.withoutBrowser === true ? null : await startBrowser({ hosts });
  const { marker = null, deadline = USUAL_DEADLINE, hints = {}, movesClock = false, invite = null } = options;
  const walk = new Walk(options, { browser, marker, deadline, hints, movesClock, invite });
  const steps: StepResult[] = [];
  try {
    for (const step of stepsFor(options.only)) {
      const result = await tryStep(walk, step, { before: steps, hasBrowser: browser !== null });
      steps.push(result);
      if (options.pictures !== undefined && step.needsBrowser && result.state !== "left-out")
        await takePicture(
          walk,
          `${options.pictures}/${String(steps.length).padStart(2, "0")}-${step.id}.png`,
        );
      options.onStep?.(result);
    }
    const passed = steps.every(({ state }) => state !== "failed");
    return { passed, steps, leftBehind: await walk.cleanUp() };
  } finally {
    await browser?.close();
  }
}

/** The steps, in their order. @throws Error that names a step that there is not. */
export function stepsFor(only: readonly string[] | undefined): readonly Step[] {
  if (only === undefined) return STEPS;
  // What a guest is shown is known from it.
  const wanted = new Set<string>(["closed-page"]);
  const want = (id: string): void => {
    const step = STEPS.find((one) => one.id === id);
    if (step === undefined)
      throw new Error(
        `there is no step ${JSON.stringify(id)}; there are ${STEPS.map((one) => one.id).join(", ")}`,
      );
    wanted.add(id);
    step.after?.forEach(want);
  };
  only.forEach(want);
  return STEPS.filter(({ id }) => wanted.has(id));
}

async function tryStep(
  walk: Walk,
  { id, title, expected, remedy, ...step }: Step,
  { before, hasBrowser }: { before: readonly StepResult[]; hasBrowser: boolean },
): Promise<StepResult> {
  const began = performance.now();
  const done = (state: StepResult["state"], came: string): StepResult => ({
    id,
    title,
    state,
    expected,
    came: bare(came),
    remedy: state === "failed" ? remedy : "",
    milliseconds: Math.round(performance.now() - began),
  });
  if (step.needsBrowser && !hasBrowser) return done("left-out", "it takes a browser");
  const missing = before.find((one) => step.after?.includes(one.id) === true && one.state !== "passed");
  if (missing !== undefined) return done("left-out", `“${missing.title}” did not pass`);
  const limit = DEADLINES_OF_STEP * walk.deadline;
  let isLate = false;
  let timer: NodeJS.Timeout | undefined;
  try {
    const late = new Promise<never>((_resolve, reject) => {
      timer = setTimeout(() => {
        isLate = true;
        reject(new StepFailed(`no end after ${limit / 1_000} s`));
      }, limit);
    });
    return done("passed", await Promise.race([step.try(walk), late]));
  } catch (error) {
    if (error instanceof StepLeftOut) return done("left-out", error.message);
    // It may be at work still, and the next step would find its browser.
    if (isLate) await walk.forgetBrowser();
    return done("failed", error instanceof StepFailed ? error.message : firstLine(error));
  } finally {
    clearTimeout(timer);
  }
}

async function takePicture(walk: Walk, path: string): Promise<void> {
  // A picture is beside the point; the step's result counts.
  await (await walk.page()).screenshot({ path }).catch(() => undefined);
}
