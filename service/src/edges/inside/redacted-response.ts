/** What of an answer in JSON is kept: what came of the request, and what an application was told. Never a token. */
import { z } from "zod";

export interface Said {
  /** An outcome, or the code of a problem. */
  readonly outcome: string | null;
  /** A sentence for each question of an application. */
  readonly told: readonly string[];
  readonly sessions: readonly string[];
}

export const NOTHING_SAID: Said = { outcome: null, told: [], sessions: [] };

const text = z.string().nullish();
const introspection = z.looseObject({
  active: z.boolean(),
  sub: text,
  email: text,
  username: text,
  name: text,
  labels: z.array(z.string()).nullish(),
  sid: text,
  acr: text,
});
const answer = z.looseObject({
  code: text,
  outcome: text,
  error: text,
  wanted: z.array(z.string()).nullish(),
  session: z.looseObject({ id: z.string() }).nullish(),
  items: z.array(z.unknown()).nullish(),
  access_token: z.unknown().optional(),
});

/** @param body the text of the answer. */
export function saidIn(body: string): Said {
  const read = answer.safeParse(jsonIn(body));
  if (!read.success) return NOTHING_SAID;
  const { code, outcome, error, wanted, session, items, access_token } = read.data;
  const questions = [read.data, ...(items ?? [])].flatMap((one) => {
    const asked = introspection.safeParse(one);
    return asked.success ? [asked.data] : [];
  });
  const more =
    wanted === null || wanted === undefined || wanted.length === 0 ? "" : `: ${wanted.join(" or ")}`;
  const result = code ?? error ?? (outcome === null || outcome === undefined ? null : outcome + more);
  return {
    outcome: result,
    told: [
      ...(access_token === undefined ? [] : ["a check token for the code"]),
      ...questions.map(sentenceOf),
    ],
    sessions: [session?.id, ...questions.map(({ sid }) => sid)].filter((one) => typeof one === "string"),
  };
}

function sentenceOf({
  active,
  sub,
  email,
  username,
  name,
  labels,
  acr,
}: z.output<typeof introspection>): string {
  if (!active) return "nobody: the token is not active";
  const who = email ?? username ?? name ?? sub ?? "somebody";
  const carried =
    labels === null || labels === undefined || labels.length === 0 ? "" : `, ${labels.join(", ")}`;
  return `${who}${carried}${typeof acr === "string" ? ` (${acr})` : ""}`;
}

function jsonIn(body: string): unknown {
  try {
    return JSON.parse(body);
  } catch {
    // Not JSON: nothing of it is shown.
    return null;
  }
}
