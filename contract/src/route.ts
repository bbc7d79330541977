/** What a call of the contract is: one value from which the service's route, the typed client and OpenAPI are made. */
import type { z } from "zod";
import type { ProblemCode } from "./problems.ts";
import { PASSKEY_PROBLEMS } from "./problems.ts";

/**
 * Who may call: anybody, whoever holds a session, whoever holds one or must set a second factor up inside a sign-in, an
 * operator, or an app with its key.
 */
export type RouteAccess = "anybody" | "session" | "enrolling" | "operator" | "app" | "development";

/** What an app may be registered for besides asking who is there. */
export const APP_RIGHTS = ["accounts"] as const;
/** What an application may do besides asking who is signed in. */
export type AppRight = (typeof APP_RIGHTS)[number];

/** A call of the contract: where it is, who may call it, what goes in and what comes back. */
export interface Route {
  readonly name: string;
  readonly method: "GET" | "POST" | "PATCH" | "DELETE";
  /** Path under the public address; `:id` marks a parameter. */
  readonly path: `/v1/${string}`;
  readonly summary: string;
  readonly access: RouteAccess;
  /** Whether only development mode has it; `development` has that in its name. */
  readonly inDevelopment?: boolean;
  /** For `app`: what it must be registered for. */
  readonly right?: AppRight;
  readonly params?: z.ZodObject;
  readonly query?: z.ZodObject;
  readonly body?: z.ZodType;
  /** Whether it takes the answer of an authenticator, and may refuse it for any of the reasons there are. */
  readonly answersPasskey?: boolean;
  /** Problems of this call besides those that its kind brings along; see `problemsOf`. */
  readonly problems?: readonly ProblemCode[];
  /** Replies by status. 204 has `z.undefined()`. */
  readonly replies: Readonly<Record<number, z.ZodType>>;
}

/** Keeps the literal types of a route. */
export function defineRoute<const R extends Route>(route: R): R {
  return route;
}

type Output<Schema> = Schema extends z.ZodType ? z.output<Schema> : undefined;
type Input<Schema> = Schema extends z.ZodType ? z.input<Schema> : undefined;

/** What a client passes: only the parts that the route has. */
export type CallOf<R extends Route> = {
  [Part in "params" | "query" | "body" as R[Part] extends z.ZodType ? Part : never]: Input<R[Part]>;
};

/** What the service receives, after the schemas filled in their defaults. */
export interface ReceivedOf<R extends Route> {
  readonly params: Output<R["params"]>;
  readonly query: Output<R["query"]>;
  readonly body: Output<R["body"]>;
}

/** Status and body of each reply, to be told apart by `status`. */
export type ReplyOf<R extends Route> = {
  [Status in keyof R["replies"] & number]: {
    readonly status: Status;
    readonly body: Output<R["replies"][Status]>;
  };
}[keyof R["replies"] & number];

declare const newer: unique symbol;
/** A value of a list of choices that came after this release: a newer service may answer with it. */
export type NewerChoice = string & { readonly [newer]?: never };

type IsUnion<T, Whole = T> = T extends unknown ? ([Whole] extends [T] ? false : true) : never;
type OpenText<T extends string> = string extends T ? T : IsUnion<T> extends true ? T | NewerChoice : T;
/** What is received: texts that are one of several may also be one that this release does not know. */
export type Open<T> = [T] extends [string]
  ? OpenText<T>
  : T extends string
    ? never
    : T extends ReadonlyArray<infer One>
      ? Array<Open<One>>
      : T extends object
        ? { [Member in keyof T]: OpenMember<T[Member]> }
        : T;
type OpenMember<T> = Open<Exclude<T, null | undefined>> | Extract<T, null | undefined>;

/** A reply as a client receives it. */
export type ReceivedReply<R extends Route> = {
  [Status in keyof R["replies"] & number]: {
    readonly status: Status;
    readonly body: Open<Output<R["replies"][Status]>>;
  };
}[keyof R["replies"] & number];

/** Every call may meet these. */
const OF_ALL: readonly ProblemCode[] = ["wrong-host", "internal-error", "storage-unavailable"];
const OF_BODIES: readonly ProblemCode[] = [
  "malformed-request",
  "invalid-fields",
  "body-too-large",
  "unsupported-media-type",
];
const OF_ACCESS: Readonly<Record<RouteAccess, readonly ProblemCode[]>> = {
  anybody: [],
  session: ["not-signed-in"],
  enrolling: ["not-signed-in"],
  operator: ["not-signed-in", "operators-only"],
  app: ["app-unknown"],
  development: [],
};

/** What an operator changes needs a fresh proof, in production at level 2. */
const OF_OPERATORS_CHANGES: readonly ProblemCode[] = [
  "reauthenticate",
  "second-factor-wanted",
  "auditor-reads-only",
];

/** The problems that a call may answer. */
export function problemsOf(route: Route): ProblemCode[] {
  // Programs that authenticate by a header have no cookie that somebody else could make use of.
  const isUnsafe = route.method !== "GET" && route.access !== "app";
  const isOperators = isUnsafe && route.access === "operator";
  return [
    ...new Set([
      ...(route.body === undefined ? [] : OF_BODIES),
      ...(route.params === undefined && route.query === undefined ? [] : (["invalid-fields"] as const)),
      ...(route.params === undefined ? [] : (["not-found"] as const)),
      ...OF_ACCESS[route.access],
      ...(route.right === undefined ? [] : (["right-missing"] as const)),
      ...(isUnsafe ? (["foreign-origin"] as const) : []),
      ...(isOperators ? OF_OPERATORS_CHANGES : []),
      ...(route.answersPasskey === true ? PASSKEY_PROBLEMS : []),
      ...(route.problems ?? []),
      ...OF_ALL,
    ]),
  ];
}
