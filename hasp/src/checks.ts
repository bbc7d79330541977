/**
 * Who is there, asked for many requests at once. Questions that wait travel together; nothing is stale, for each is asked
 * after the request that it belongs to came. There is no timer: what comes while two are under way gathers until one of
 * them is back.
 */
import type { ActiveIntrospection } from "@lucchetto/contract/apps";
import { MAX_CHECKED_TOKENS } from "@lucchetto/contract/apps";

/** Questions under way at once: the second one, so that an answer that is late does not keep everybody waiting. */
const MAX_UNDER_WAY = 2;

/** `null`: nobody. */
export type Checked = ActiveIntrospection | null;

interface Waiting {
  readonly answer: Promise<Checked>;
  readonly resolve: (who: Checked) => void;
  readonly reject: (error: unknown) => void;
  /** When it was asked, by `performance.now()`. */
  readonly since: number;
}

/**
 * @param ask asks about so many tokens, and answers in the same order within so many milliseconds, or rejects.
 * @param timeout milliseconds after which nobody waits any more.
 */
export function joinChecks(
  ask: (tokens: readonly string[], timeout: number) => Promise<readonly Checked[]>,
  timeout: number,
): (token: string) => Promise<Checked> {
  const gathering = new Map<string, Waiting>();
  let underWay = 0;
  let isScheduled = false;

  function schedule(): void {
    if (isScheduled || underWay >= MAX_UNDER_WAY || gathering.size === 0) return;
    isScheduled = true;
    // After whatever else has arrived in this turn of the event loop.
    setImmediate(() => {
      isScheduled = false;
      void send();
    });
  }

  async function send(): Promise<void> {
    const tokens: string[] = [];
    const asked: Waiting[] = [];
    for (const [token, one] of gathering) {
      if (tokens.length === MAX_CHECKED_TOKENS) break;
      tokens.push(token);
      asked.push(one);
    }
    for (const token of tokens) gathering.delete(token);
    const [first] = asked;
    if (first === undefined) return;
    underWay += 1;
    schedule();
    try {
      // The one that has waited longest says when it is over.
      const answers = await ask(tokens, Math.max(1, timeout - (performance.now() - first.since)));
      for (const [index, { resolve }] of asked.entries()) resolve(answers[index] ?? null);
    } catch (error) {
      for (const { reject } of asked) reject(error);
    } finally {
      underWay -= 1;
      schedule();
    }
  }

  return (token) => {
    const already = gathering.get(token);
    if (already !== undefined) return already.answer;
    let resolve: Waiting["resolve"] = () => undefined;
    let reject: Waiting["reject"] = () => undefined;
    const answer = new Promise<Checked>((onAnswer, onError) => {
      resolve = onAnswer;
      reject = onError;
    });
    gathering.set(token, { answer, resolve, reject, since: performance.now() });
    schedule();
    return answer;
  };
}

/**
 * The answers of `POST /v1/checks`, checked by hand: they are read for every request of an application.
 * @returns `null` if they are not what was asked for.
 */
export function readChecks(text: string, count: number): Checked[] | null {
  let body: unknown;
  try {
    body = JSON.parse(text);
  } catch {
    // What is no JSON is no answer; the caller treats it as such.
    return null;
  }
  const items = isObject(body) ? body["items"] : undefined;
  if (!Array.isArray(items) || items.length !== count) return null;
  const answers: Checked[] = [];
  for (const item of items as unknown[]) {
    if (isActive(item)) answers.push(item);
    else if (isObject(item) && item["active"] === false) answers.push(null);
    else return null;
  }
  return answers;
}

const isObject = (value: unknown): value is Record<string, unknown> =>
  typeof value === "object" && value !== null && !Array.isArray(value);
const isText = (value: unknown): boolean => typeof value === "string";
const isTextOrNull = (value: unknown): boolean => value === null || typeof value === "string";
const isWhole = (value: unknown): boolean => Number.isSafeInteger(value);
const isTexts = (value: unknown): boolean => Array.isArray(value) && value.every(isText);
const maybe = (value: unknown, is: (value: unknown) => boolean): boolean => value === undefined || is(value);

/** As the contract's `activeIntrospection` has it; a test holds the two against each other. */
function isActive(item: unknown): item is ActiveIntrospection {
  return (
    isObject(item) &&
    item["active"] === true &&
    isText(item["sub"]) &&
    isTextOrNull(item["reference"]) &&
    isTextOrNull(item["username"]) &&
    isTextOrNull(item["email"]) &&
    typeof item["email_verified"] === "boolean" &&
    isTextOrNull(item["name"]) &&
    isTexts(item["labels"]) &&
    maybe(item["sid"], isText) &&
    maybe(item["key_id"], isText) &&
    isWhole(item["iat"]) &&
    maybe(item["auth_time"], isWhole) &&
    maybe(item["exp"], isWhole) &&
    isWhole(item["checked_at"]) &&
    isText(item["acr"]) &&
    isTexts(item["amr"]) &&
    isText(item["client_id"]) &&
    item["token_type"] === "Bearer" &&
    isText(item["iss"])
  );
}
