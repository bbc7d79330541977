/**
 * Uploads of the console: sealed on this instance's disk until they are taken in, thrown away, or a day old. What is under way with one goes
 * on beside the requests; who looks sees how far it is.
 */
import { mkdtemp, rm } from "node:fs/promises";
import { availableParallelism, tmpdir } from "node:os";
import { join } from "node:path";
import type { CallOf, DraftedPlan, IntakeDraft, ReceivedOf, routes } from "@lucchetto/contract";
import { fieldError, MAX_UPLOAD } from "@lucchetto/contract";
import type { FastifyBaseLogger } from "fastify";
import { fieldProblem, ProblemReply } from "../../base/problem.ts";
import { newId } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import { peppersOf } from "../../records/password/hashing.ts";
import type { LiveSession } from "../../records/session/store.ts";
import type { OnProgress } from "./check.ts";
import { checkSource } from "./check.ts";
import { draftPlan } from "./guess.ts";
import type { Plan } from "./plan.ts";
import { parsePlan, PlanError } from "./plan.ts";
import type { Hasher } from "./run.ts";
import { runIntake } from "./run.ts";
import { SealedFile } from "./sealed-file.ts";
import { SourceError } from "./source-row.ts";
import type { UploadedSource } from "./source.ts";
import { readRows } from "./source.ts";
import { IntakeRefusal } from "./written.ts";

type Begun = ReceivedOf<typeof routes.beginIntakeDraft>["body"];
type Part = CallOf<typeof routes.addIntakePart>["body"];
type Checking = ReceivedOf<typeof routes.checkIntakeDraft>["body"];
type Running = ReceivedOf<typeof routes.runIntakeDraft>["body"];

/** Uploads at a time. */
const MAX_DRAFTS = 3;
/** Milliseconds after which one goes. */
const KEPT_FOR = 24 * 3_600_000;
const LOOK_EVERY = 600_000;
/** Rows that are shown. */
const PREVIEWED = 5;

interface Draft {
  readonly source: UploadedSource & { readonly sealed: SealedFile };
  readonly begunAt: number;
  shown: IntakeDraft;
}

export class IntakeDrafts {
  readonly #context: ServiceContext;
  readonly #drafts = new Map<string, Draft>();
  readonly #looking: NodeJS.Timeout;
  #folder: Promise<string> | null = null;
  /** What is under way; waited for at the end. */
  readonly #works = new Set<Promise<void>>();
  #isClosing = false;

  readonly #logger: Pick<FastifyBaseLogger, "error">;

  constructor(context: ServiceContext, logger: Pick<FastifyBaseLogger, "error">) {
    this.#context = context;
    this.#logger = logger;
    this.#looking = setInterval(() => void this.#sweep(), LOOK_EVERY);
    this.#looking.unref();
  }

  /** @throws ProblemReply `too-busy` where there are some already. */
  async begin({ name, format, delimiter, encoding }: Begun): Promise<IntakeDraft> {
    await this.#sweep();
    if (this.#drafts.size >= MAX_DRAFTS)
      throw new ProblemReply("too-busy", {
        retryAfter: 60,
        detail: `There are ${MAX_DRAFTS} uploads already. Import or discard one.`,
      });
    const now = this.#context.clock.now();
    const id = newId(now);
    this.#folder ??= mkdtemp(join(tmpdir(), "lucchetto-uploads-"));
    const sealed = await SealedFile.create(join(await this.#folder, id));
    const shown: IntakeDraft = {
      ...{ id, name, bytes: 0, state: "uploading", done: 0, total: 0 },
      ...{ fault: null, check: null, intakeId: null },
    };
    const source = { path: name, format, delimiter, encoding, sealed };
    this.#drafts.set(id, { source, begunAt: now.getTime(), shown });
    return shown;
  }

  async add(id: string, { at, bytes }: Part): Promise<IntakeDraft> {
    const draft = this.#resting(id);
    const { sealed } = draft.source;
    if (at !== sealed.size) throw fieldProblem([fieldError("at", "part-elsewhere", { at: sealed.size })]);
    const part = Buffer.from(bytes, "base64");
    if (sealed.size + part.length > MAX_UPLOAD)
      throw fieldProblem([fieldError("bytes", "upload-too-large", { most: MAX_UPLOAD })]);
    await sealed.add(part);
    return this.#show(draft, { bytes: sealed.size, state: "uploading", check: null });
  }

  async plan(id: string): Promise<DraftedPlan> {
    const { source } = this.#resting(id);
    try {
      const { text, guesses, leftOut, faults } = await draftPlan(source);
      // What no guess knows may be a secret, too.
      const shown = new Set(guesses.filter(({ member }) => !SECRET.has(member)).map(({ column }) => column));
      return {
        plan: text,
        guesses: [...guesses],
        leftOut: [...leftOut],
        faults: [...faults],
        preview: await previewOf(source, shown),
      };
    } catch (error) {
      throw asProblem(error, "");
    }
  }

  show(id: string): IntakeDraft {
    return this.#find(id).shown;
  }

  /** Begins the check. @throws ProblemReply `invalid-fields` for a plan that cannot be run. */
  check(id: string, { plan: text, known }: Checking): IntakeDraft {
    const draft = this.#resting(id);
    const plan = planOf(draft, text);
    const { dataSource, configuration, clock } = this.#context;
    const needs = { dataSource, peppers: peppersOf(configuration.keyRing), now: clock.now() };
    return this.#work(draft, "checking", async (onProgress) => {
      const check = await checkSource(needs, plan, { known, onProgress });
      return { state: "checked", check };
    });
  }

  /** Begins the run. @throws ProblemReply `invalid-fields`. */
  run(
    id: string,
    { plan: text, known, unproven }: Running,
    operator: LiveSession,
    visit: RequestOrigin,
  ): IntakeDraft {
    const draft = this.#resting(id);
    const plan = planOf(draft, text);
    const hasher = besideSignIns(this.#context, () => this.#isClosing);
    const by = { operator, visit };
    return this.#work(draft, "running", async (onProgress) => {
      const wrap = "auto" as const;
      const options = { known, unproven, wrap, hasher, by, onProgress };
      const { intake } = await runIntake(this.#context, plan, options);
      await draft.source.sealed.remove();
      return { state: "done", intakeId: intake.id };
    });
  }

  async drop(id: string): Promise<void> {
    const draft = this.#resting(id);
    this.#drafts.delete(id);
    await draft.source.sealed.remove();
  }

  /** Ends what is under way, and removes everything. */
  async close(): Promise<void> {
    this.#isClosing = true;
    clearInterval(this.#looking);
    for (const { source } of this.#drafts.values()) await source.sealed.remove();
    await Promise.allSettled(this.#works);
    if (this.#folder !== null) await rm(await this.#folder, { recursive: true, force: true });
  }

  #find(id: string): Draft {
    const draft = this.#drafts.get(id);
    if (draft === undefined)
      throw new ProblemReply("not-found", {
        detail:
          "There is no such upload here: it was imported or discarded, is over a day old, or belongs to another instance.",
      });
    return draft;
  }

  /** One with which nothing is under way. */
  #resting(id: string): Draft {
    const draft = this.#find(id);
    const { state } = draft.shown;
    if (state === "checking" || state === "running")
      throw fieldProblem([fieldError("", "upload-unfinished")]);
    return draft;
  }

  #show(draft: Draft, change: Partial<IntakeDraft>): IntakeDraft {
    draft.shown = { ...draft.shown, ...change };
    return draft.shown;
  }

  #work(
    draft: Draft,
    state: "checking" | "running",
    work: (onProgress: OnProgress) => Promise<Partial<IntakeDraft>>,
  ): IntakeDraft {
    const begun = this.#show(draft, { state, done: 0, total: 0, fault: null });
    const working = work(({ done, total }) => void this.#show(draft, { done, total }))
      .then((change) => void this.#show(draft, change))
      .catch((error: unknown) => {
        const isTold = error instanceof SourceError || error instanceof IntakeRefusal;
        if (!isTold && !this.#isClosing)
          this.#logger.error({ err: error, draft: draft.shown.id }, "an upload failed");
        const fault = isTold
          ? error.message
          : "It failed because of an internal error; see the service's log. Run it again: it continues where it stopped.";
        this.#show(draft, { state: "failed", fault });
      })
      .finally(() => this.#works.delete(working));
    this.#works.add(working);
    return begun;
  }

  async #sweep(): Promise<void> {
    const before = this.#context.clock.now().getTime() - KEPT_FOR;
    for (const [id, { begunAt, shown, source }] of this.#drafts) {
      const isAtWork = shown.state === "checking" || shown.state === "running";
      if (isAtWork || (shown.state !== "done" && begunAt > before)) continue;
      this.#drafts.delete(id);
      await source.sealed.remove();
    }
  }
}

/** Members of a plan whose values are covered in a preview. */
const SECRET = new Set(["password", "salt", "totpSecret"]);

/** Whatever file a plan names, it is the upload; databases are for the command. */
function planOf({ source }: Draft, text: string): Plan {
  try {
    const plan = parsePlan(text, { name: "The plan", source: (file) => file });
    if ("database" in plan.source)
      throw new PlanError("source.database: only the command can read another database.");
    const { format, delimiter, encoding } = plan.source;
    return { ...plan, source: { ...source, format, delimiter, encoding } };
  } catch (error) {
    throw asProblem(error, "plan");
  }
}

function asProblem(error: unknown, path: "plan" | ""): unknown {
  if (error instanceof PlanError || error instanceof SourceError)
    return fieldProblem([fieldError(path, "plan-unsound", { reason: error.message })]);
  return error;
}

async function previewOf(
  source: UploadedSource,
  shown: ReadonlySet<string>,
): Promise<DraftedPlan["preview"]> {
  let columns: string[] = [];
  const rows: Array<Array<string | null>> = [];
  for await (const row of readRows(source)) {
    if ("fault" in row) continue;
    if (rows.length === 0) columns = [...row.values.keys()];
    rows.push(columns.map((column) => covered(row.values.get(column) ?? null, !shown.has(column))));
    if (rows.length === PREVIEWED) break;
  }
  return { columns, rows };
}

const MAX_SHOWN_LENGTH = 60;

function covered(value: string | null, isSecret: boolean): string | null {
  if (value === null || value === "") return value;
  if (isSecret) return `•••• (${value.length})`;
  return value.length > MAX_SHOWN_LENGTH ? `${value.slice(0, MAX_SHOWN_LENGTH)}…` : value;
}

/** On all cores while nobody signs in: in places that nobody else wants. */
function besideSignIns({ hashing }: ServiceContext, isOver: () => boolean): Hasher {
  return {
    width: availableParallelism(),
    measured: () => hashing.measured,
    run: (work) =>
      hashing.runInBackground(() => {
        if (isOver())
          throw new IntakeRefusal("The service is stopping. Run it again: it continues where it stopped.");
        return work();
      }),
  };
}
