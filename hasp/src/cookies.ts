/** The application's host-only cookies: the check token, what is remembered while somebody is away signing in, and two of its own forms. */
import { randomBytes } from "node:crypto";
import { parse, serialize } from "cookie";

/** What is kept in the browser between leaving for Lucchetto and coming back. */
interface AuthorizationState {
  readonly state: string;
  readonly verifier: string;
  /** Path of this application to go on to. */
  readonly next: string;
}

/** Seconds that somebody may take to sign in. */
const DEPARTURE_LIFETIME = 3_600;
/** Seconds of a visit: whoever comes later is asked anew. */
const VISIT = 1_800;
/** Departures that a browser keeps; without a bound their cookies would in the end be too much for any server. */
const MAX_DEPARTURES = 4;
/** Characters of one departure's cookie: whatever page somebody is sent from, all of them fit into what servers take of headers. */
const MAX_COOKIE = 1_800;
/** Characters of `state` in the cookie's name, so that several tabs can be away at once. */
const NAMED_CHARACTERS = 8;
/** As Lucchetto makes them. */
export const CHECK_TOKEN = /^lck_[A-Za-z0-9_-]{43}$/;
const STATE = /^[A-Za-z0-9_-]{22}$/;

export interface HaspCookies {
  readCheckToken(header: string | undefined): string | undefined;
  writeCheckToken(token: string): string;
  removeCheckToken(): string;
  /** Set-Cookie for a departure, and for removing the oldest ones of a browser that left often without coming back. */
  writeDeparture(departure: AuthorizationState, header: string | undefined): string[];
  /** The departure that this `state` belongs to, if this browser is the one that left. */
  readDeparture(header: string | undefined, state: string): AuthorizationState | null;
  removeDeparture(state: string): string;
  /** Whether this visit was asked already, without a page, who it is. */
  wasAsked(header: string | undefined): boolean;
  writeAsked(): string;
  /** Of somebody at a form of the application's own: a handle to what its server keeps, and the mark of the browser. */
  readHandle(header: string | undefined): string | undefined;
  writeHandle(handle: string): string;
  removeHandle(): string;
  readDevice(header: string | undefined): string | undefined;
  writeDevice(mark: string): string;
}

/** Seconds for which a browser is known again. */
const DEVICE_LIFETIME = 400 * 86_400;
const HANDLE = /^[A-Za-z0-9_-]{43}$/;
/** Whatever it is made of, it goes into a header. */
const DEVICE = /^[\w.-]{1,200}$/;

/** @param origin the application's own, from its return address. On loopback the names carry the port. */
export function haspCookies(origin: URL): HaspCookies {
  const secure = origin.protocol === "https:";
  const name = (what: string) =>
    secure ? `__Host-lucchetto-${what}` : `lucchetto-${what}-${origin.port || "80"}`;
  const checkName = name("check");
  const departureName = (state: string) => `${name("away")}-${state.slice(0, NAMED_CHARACTERS)}`;
  const attributes = { httpOnly: true, secure, sameSite: "lax", path: "/" } as const;

  return {
    readCheckToken(header) {
      const token = header === undefined ? undefined : parse(header)[checkName];
      // Nothing else signs a browser in: an access key is a script's, and stands in its header.
      return token !== undefined && CHECK_TOKEN.test(token) ? token : undefined;
    },
    writeCheckToken: (token) => serialize(checkName, token, attributes),
    removeCheckToken: () => serialize(checkName, "", { ...attributes, maxAge: 0 }),
    writeDeparture(departure, header) {
      // Browsers send the oldest first (RFC 6265 section 5.4).
      const before = Object.keys(parse(header ?? "")).filter((one) => one.startsWith(`${name("away")}-`));
      const forgotten = before.slice(0, Math.max(0, before.length - MAX_DEPARTURES + 1));
      const lifetime = { ...attributes, maxAge: DEPARTURE_LIFETIME };
      const leave = (one: AuthorizationState) =>
        serialize(departureName(one.state), JSON.stringify(one), lifetime);
      const cookie = leave(departure);
      return [
        ...forgotten.map((one) => serialize(one, "", { ...attributes, maxAge: 0 })),
        // A path that is longer than this is forgotten: the person comes back to the start page.
        cookie.length > MAX_COOKIE ? leave({ ...departure, next: "/" }) : cookie,
      ];
    },
    readDeparture(header, state) {
      if (header === undefined || !STATE.test(state)) return null;
      const departure = readJson(parse(header)[departureName(state)]);
      return departure?.state === state ? departure : null;
    },
    wasAsked: (header) => header !== undefined && parse(header)[name("asked")] !== undefined,
    writeAsked: () => serialize(name("asked"), "1", { ...attributes, maxAge: VISIT }),
    readHandle: (header) => readAs(HANDLE, header, name("form")),
    writeHandle: (handle) => serialize(name("form"), handle, attributes),
    removeHandle: () => serialize(name("form"), "", { ...attributes, maxAge: 0 }),
    readDevice: (header) => readAs(DEVICE, header, name("device")),
    writeDevice: (mark) => serialize(name("device"), mark, { ...attributes, maxAge: DEVICE_LIFETIME }),
    removeDeparture: (state) => serialize(departureName(state), "", { ...attributes, maxAge: 0 }),
  };
}

/** A fresh departure: 128 random bits of state, 256 of verifier (RFC 7636 section 4.1). */
export function newDeparture(next: string): AuthorizationState {
  return {
    state: randomBytes(16).toString("base64url"),
    verifier: randomBytes(32).toString("base64url"),
    next,
  };
}

function readAs(shape: RegExp, header: string | undefined, name: string): string | undefined {
  const text = header === undefined ? undefined : parse(header)[name];
  return text !== undefined && shape.test(text) ? text : undefined;
}

function readJson(text: string | undefined): AuthorizationState | null {
  if (text === undefined) return null;
  try {
    const value = JSON.parse(text) as Partial<AuthorizationState>;
    const { state, verifier, next } = value;
    const whole = typeof state === "string" && typeof verifier === "string" && typeof next === "string";
    return whole ? { state, verifier, next } : null;
  } catch {
    // A cookie that somebody wrote by hand is none of ours.
    return null;
  }
}
