/** The made-up people of Brina Huts. */
import { randomBytes } from "node:crypto";

export interface Person {
  readonly name: string;
  readonly email?: string;
  readonly username?: string;
  readonly password: string;
  readonly labels?: readonly string[];
  readonly suspended?: boolean;
  /** Invited by the office, and not come yet. */
  readonly invited?: boolean;
  /** Has not opened the mail that came after registering. */
  readonly unproved?: boolean;
  /** The office wants another password of them. */
  readonly mustChange?: boolean;
  /** Days ago on which they registered. */
  readonly registered: number;
  /** Days ago on which they signed in. */
  readonly visits: readonly number[];
  /** The visit, counted from 0, in which they set an authenticator app up. */
  readonly secondFactorAt?: number;
  /** The visit, counted from 0, in which they add a passkey; from then on they sign in with it. */
  readonly passkeyAt?: number;
  /** Whether their last visit goes on: a session that is still alive. */
  readonly stays?: boolean;
}

/** The account that the demo names for trying things out as a member. */
export const MEMBER = { email: "anna.larice@brina.example", password: "five huts above the lake" } as const;
/** A keeper with a second factor. */
export const KEEPER = { email: "bruno@brina.example", password: "the ladder below the ridge" } as const;
/** A keeper who signs in with a passkey; it lies in the state folder. */
export const PASSKEY_KEEPER = { email: "carla@brina.example", password: "an old snowfield in june" } as const;
/** Sees what the office sees, and changes nothing. */
export const AUDITOR = { email: "irene@brina.example", password: "ravens over the north ridge" } as const;
/** Works in the office: invites and suspends members on the sample application's own page, and is no operator. */
export const OFFICE = { email: "gaia@brina.example", password: "seven bridges to the hut" } as const;
export const OPERATOR = { email: "office@brina.example", password: "brass key, stone door" } as const;

/** A signing secret as the open description of webhooks writes it. */
export const newWebhookSecret = (): string => `whsec_${randomBytes(32).toString("base64")}`;

const at = (name: string) => `${name}@brina.example`;

export const PEOPLE: readonly Person[] = [
  {
    name: "Anna Larice",
    email: MEMBER.email,
    username: "anna",
    password: MEMBER.password,
    registered: 29,
    visits: [24, 17, 9, 3, 0.2],
    stays: true,
  },
  {
    name: "Bruno Falco",
    email: KEEPER.email,
    username: "bruno",
    password: KEEPER.password,
    labels: ["keeper"],
    registered: 29,
    visits: [26, 21, 14, 10, 6, 2, 0.1],
    secondFactorAt: 3,
    stays: true,
  },
  {
    name: "Carla Nevaio",
    email: PASSKEY_KEEPER.email,
    password: PASSKEY_KEEPER.password,
    labels: ["keeper"],
    passkeyAt: 1,
    registered: 28,
    visits: [22, 15, 8, 1],
    stays: true,
  },
  {
    name: "Dario Sorgente",
    email: at("dario"),
    password: "water under the third stone",
    labels: ["keeper"],
    registered: 28,
    visits: [20],
  },
  {
    name: "Elena Brina",
    email: at("elena"),
    username: "elena.b",
    password: "frost on every window pane",
    labels: ["keeper"],
    registered: 27,
    visits: [19, 11, 4],
    secondFactorAt: 1,
  },
  {
    name: "Fabio Monte",
    email: at("fabio"),
    password: "boots drying by the stove",
    registered: 26,
    visits: [25, 13],
  },
  {
    name: "Gaia Ruscello",
    email: OFFICE.email,
    password: OFFICE.password,
    labels: ["office"],
    registered: 26,
    visits: [18, 7, 2],
    stays: true,
  },
  {
    name: "Hanno Pietra",
    email: at("hanno"),
    password: "granite keeps the warmth",
    registered: 25,
    visits: [23],
  },
  {
    name: "Irene Cresta",
    email: AUDITOR.email,
    username: "irene",
    password: AUDITOR.password,
    labels: ["auditor"],
    registered: 25,
    visits: [16, 5],
  },
  {
    name: "Jonas Bosco",
    email: at("jonas"),
    password: "smoke from the chimney at four",
    unproved: true,
    registered: 24,
    visits: [],
  },
  {
    name: "Katia Valle",
    email: at("katia"),
    password: "the bread arrives by mule",
    labels: ["keeper"],
    registered: 23,
    visits: [15, 9, 0.5],
    stays: true,
  },
  {
    name: "Luca Ghiaccio",
    email: at("luca"),
    password: "count the bunks every evening",
    registered: 22,
    visits: [18, 12],
  },
  {
    name: "Mira Sentiero",
    username: "mira",
    password: "red marks on grey boulders",
    registered: 21,
    visits: [16, 1],
  },
  {
    name: "Nico Lago",
    username: "nico.lago",
    password: "swim before the sun is up",
    registered: 20,
    visits: [17],
  },
  {
    name: "Olga Vento",
    email: at("olga"),
    password: "shutters banging all night long",
    suspended: true,
    registered: 20,
    visits: [16],
  },
  {
    name: "Paolo Nube",
    email: at("paolo"),
    password: "fog until the second saddle",
    registered: 19,
    visits: [14, 6],
  },
  {
    name: "Rita Stella",
    email: at("rita"),
    password: "no lamps needed up here",
    registered: 18,
    visits: [10, 3],
    stays: true,
  },
  {
    name: "Sandro Eco",
    email: at("sandro"),
    password: "shout and wait for the answer",
    suspended: true,
    registered: 17,
    visits: [15],
  },
  {
    name: "Tea Genziana",
    email: at("tea"),
    password: "bitter root, blue flower",
    registered: 16,
    visits: [15],
  },
  {
    name: "Ugo Camino",
    email: at("ugo"),
    password: "split wood before the rain",
    unproved: true,
    registered: 9,
    visits: [5],
  },
  {
    name: "Vera Alba",
    email: at("vera"),
    username: "vera",
    password: "first up the eastern path",
    registered: 8,
    visits: [4, 0.3],
    stays: true,
  },
  {
    name: "Walter Tana",
    email: at("walter"),
    password: "marmots whistle at my boots",
    invited: true,
    registered: 5,
    visits: [],
  },
  {
    name: "Zita Corda",
    email: at("zita"),
    password: "tie it twice and test it once",
    registered: 2,
    visits: [1],
    mustChange: true,
  },
];

/** Browsers that the made-up people use. */
export const BROWSERS: readonly string[] = [
  "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0",
  "Mozilla/5.0 (iPhone; CPU iPhone OS 18_5 like Mac OS X) AppleWebKit/605.1.15 (KHTML, like Gecko) Version/18.5 Mobile/15E148 Safari/604.1",
  "Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Safari/537.36",
  "Mozilla/5.0 (Linux; Android 15; Pixel 9) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0.0.0 Mobile Safari/537.36",
];
