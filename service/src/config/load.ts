/** Reads the configuration: one yaml file, each value overridable by an environment variable, secrets apart. */
import { readFileSync } from "node:fs";
import { dirname, resolve } from "node:path";
import type { KeyRing } from "@lucchetto/core";
import { KeyRingError, readKeyRing, readWebhookSecret } from "@lucchetto/core";
import { parse } from "yaml";
import { z } from "zod";
import { readTemplates } from "../mail/templates.ts";
import { readLogo, readMail, readStylesheet } from "./mail.ts";
import type { Configuration, ThrottleSettings, WebhookSettings } from "./schema.ts";
import { configurationSchema, faultsOfMode } from "./schema.ts";
import { readSecretFile } from "./secret-file.ts";

/** The configuration cannot be used. `faults` holds one line for each thing that is wrong. */
export class ConfigurationError extends Error {
  override readonly name = "ConfigurationError";
  readonly faults: readonly string[];
  constructor(source: string, faults: readonly string[]) {
    super(
      `The configuration (${source}) cannot be used:\n${faults.map((fault) => `  - ${fault}`).join("\n")}`,
    );
    this.faults = faults;
  }
}

const PREFIX = "LUCCHETTO_";
/** Variables with the prefix that are not settings. */
const NOT_SETTINGS = new Set([
  "LUCCHETTO_CONFIG",
  "LUCCHETTO_URL",
  "LUCCHETTO_PROFILE",
  "LUCCHETTO_ADMIN_PASSWORD",
]);
const PASSWORD_VARIABLE = "LUCCHETTO_DATABASE_PASSWORD";
const MAIL_PASSWORD_VARIABLE = "LUCCHETTO_MAIL_SMTP_PASSWORD";
const WEBHOOK_SECRET_VARIABLE = "LUCCHETTO_WEBHOOKS_SECRET";
/** Secrets have no setting of their own, only a variable or a file. */
const SECRET_VARIABLES = new Set([PASSWORD_VARIABLE, MAIL_PASSWORD_VARIABLE, WEBHOOK_SECRET_VARIABLE]);

type Environment = Readonly<Record<string, string | undefined>>;

/**
 * Loads and checks everything, and says all that is wrong at once.
 * @param path of the yaml file; it may be missing if the environment says everything.
 * @throws ConfigurationError.
 */
export function loadConfiguration(path: string, environment: Environment = process.env): Configuration {
  const fromFile = readYaml(path);
  const faults = faultsOfSecretsInYaml(fromFile);
  const settings = leavesOf(configurationSchema);
  const merged = overrideFrom(environment, settings, fromFile, faults);

  const checked = configurationSchema.safeParse(merged);
  if (!checked.success) {
    throw new ConfigurationError(path, [
      ...faults,
      ...checked.error.issues.flatMap((issue) => describeIssue(issue, merged)),
    ]);
  }
  faults.push(...faultsOfMode(checked.data));
  const databasePassword = readDatabasePassword(checked.data, path, environment, faults);
  const keyRing = readKeys(checked.data, path, faults);
  const webhookSecret = readWebhooksSecret(checked.data, path, environment, faults);
  const mail = readMail(checked.data, path, environment, faults);
  const templates = readTemplates(beside(path, checked.data.mail.templates), faults);
  const logo = readLogo(beside(path, checked.data.site.logo), faults);
  const stylesheet = readStylesheet(beside(path, checked.data.site.stylesheet), faults);
  if (faults.length > 0) throw new ConfigurationError(path, faults);
  const { links } = checked.data;
  return {
    ...checked.data,
    passwords: { ...checked.data.passwords, ...besideConfiguration(path, checked.data.passwords) },
    throttle: fillThrottle(checked.data),
    webhooks: fillWebhooks(checked.data, webhookSecret),
    mail,
    templates,
    logo,
    stylesheet,
    links: {
      verify: links.verify,
      reset: links.reset,
      "sign-in": links.signIn,
      invite: links.invite,
      "change-email": links.changeEmail,
      "undo-change": links.undoChange,
    },
    verifyEmail: verificationOf(checked.data),
    databasePassword,
    keyRing,
    tellTaken: checked.data.accounts.tellTaken ?? checked.data.mode === "development",
  };
}

/** Unless said otherwise production wants a proof of the address, where it can ask for one. */
function verificationOf({ mode, mail, accounts }: z.output<typeof configurationSchema>) {
  return accounts.verifyEmail ?? (mode === "production" && mail.via !== "none" ? "required" : "reminded");
}

/** A path counts from where the configuration lies. */
function beside(path: string, file: string | undefined): string | null {
  return file === undefined ? null : resolve(dirname(path), file);
}

/** A path of a list counts from where the configuration lies. */
function besideConfiguration(
  path: string,
  { compromisedList }: { compromisedList?: string | undefined },
): { compromisedList?: string } {
  return compromisedList === undefined ? {} : { compromisedList: resolve(dirname(path), compromisedList) };
}

const MINUTE = 60_000;
/** Where the configuration says nothing. Development does not let its developer wait. */
const THROTTLE_BY_MODE = {
  development: {
    firstWait: 1_000,
    longestWait: 10_000,
    network: { most: 100, window: MINUTE },
    registrations: { most: 1_000, window: 60 * MINUTE },
  },
  production: {
    firstWait: 5_000,
    longestWait: 15 * MINUTE,
    network: { most: 100, window: 15 * MINUTE },
    registrations: { most: 60, window: 60 * MINUTE },
  },
} as const;

function fillThrottle({ mode, throttle }: z.output<typeof configurationSchema>): ThrottleSettings {
  const usual = THROTTLE_BY_MODE[mode];
  const fill = (name: "network" | "registrations") => ({
    most: throttle[name].most ?? usual[name].most,
    window: throttle[name].window ?? usual[name].window,
  });
  return {
    free: throttle.free,
    firstWait: throttle.firstWait ?? usual.firstWait,
    longestWait: throttle.longestWait ?? usual.longestWait,
    network: fill("network"),
    registrations: fill("registrations"),
  };
}

function fillWebhooks(
  { mode, webhooks }: z.output<typeof configurationSchema>,
  secret: Uint8Array | null,
): WebhookSettings {
  const { consult, notify, privateReceivers } = webhooks;
  return {
    secret,
    // A public service must not be made to speak to what stands beside it; in development everything stands beside it.
    reach: { everywhere: mode === "development", listed: privateReceivers },
    consult: { ...consult, whenSilent: consult.whenSilent ?? "refuse" },
    notify,
  };
}

function readWebhooksSecret(
  { webhooks }: z.output<typeof configurationSchema>,
  path: string,
  environment: Environment,
  faults: string[],
): Uint8Array | null {
  if (webhooks.consult.url === undefined && webhooks.notify.url === undefined) return null;
  const { secretFile } = webhooks;
  const text =
    environment[WEBHOOK_SECRET_VARIABLE] ??
    (secretFile === undefined
      ? null
      : readSecretFile(resolve(dirname(path), secretFile), "webhooks.secretFile", faults));
  if (text === null) {
    if (secretFile === undefined)
      faults.push(
        `webhooks.secretFile: missing, expected the path of a file of mode 0600 with a signing secret, whsec_ and 32 random bytes in base64 (or set ${WEBHOOK_SECRET_VARIABLE})`,
      );
    return null;
  }
  const secret = readWebhookSecret(text);
  if (secret === null)
    faults.push(
      "webhooks.secretFile: expected whsec_ and 24 to 64 random bytes in base64 (the value is not shown)",
    );
  return secret;
}

/** Where the key ring lies, whatever else is wrong with the configuration: beside it unless it says otherwise. */
export function keyRingFile(path: string, environment: Environment = process.env): string {
  const keys = readYaml(path)["keys"];
  const named = typeof keys === "object" && keys !== null ? (keys as Tree)["file"] : undefined;
  const file = environment[variableOf("keys.file")] ?? named;
  return resolve(dirname(path), typeof file === "string" ? file : "keys.yaml");
}

type Tree = Record<string, unknown>;

/** `mail: none` is short for `mail: { via: none }`. */
function readYaml(path: string): Tree {
  const tree = readTree(path);
  return tree["mail"] === "none" ? { ...tree, mail: { via: "none" } } : tree;
}

function readTree(path: string): Tree {
  let text: string;
  try {
    text = readFileSync(path, "utf8");
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") return {};
    throw new ConfigurationError(path, [`the file cannot be read: ${(error as Error).message}`]);
  }
  try {
    const tree: unknown = parse(text) ?? {};
    if (typeof tree === "object" && tree !== null && !Array.isArray(tree)) return tree as Tree;
  } catch (error) {
    throw new ConfigurationError(path, [`the file is not YAML: ${(error as Error).message.split("\n")[0]}`]);
  }
  throw new ConfigurationError(path, ["the file does not hold settings of the form `name: value`"]);
}

function faultsOfSecretsInYaml(tree: Tree): string[] {
  const faults: string[] = faultsOfMailSecrets(tree["mail"]);
  const database = tree["database"];
  if (typeof database !== "object" || database === null) return faults;
  if ("password" in database) {
    delete (database as Tree)["password"];
    faults.push(
      `database.password: secrets do not belong into the yaml; put it into ${PASSWORD_VARIABLE}, or into a file of mode 0600 named by database.passwordFile`,
    );
  }
  const url = (database as Tree)["url"];
  if (typeof url === "string" && URL.canParse(url) && new URL(url).password !== "") {
    faults.push(
      `database.url: it holds a password, and secrets do not belong into the yaml; leave it out there and put it into ${PASSWORD_VARIABLE}, or into a file of mode 0600 named by database.passwordFile`,
    );
  }
  return faults;
}

function faultsOfMailSecrets(mail: unknown): string[] {
  const smtp = typeof mail === "object" && mail !== null ? (mail as Tree)["smtp"] : undefined;
  if (typeof smtp !== "object" || smtp === null) return [];
  const mend = `secrets do not belong into the yaml; put it into ${MAIL_PASSWORD_VARIABLE}, or into a file of mode 0600 named by mail.smtp.passwordFile`;
  const faults: string[] = [];
  if ("password" in smtp) {
    delete (smtp as Tree)["password"];
    faults.push(`mail.smtp.password: ${mend}`);
  }
  const url = (smtp as Tree)["url"];
  if (typeof url === "string" && URL.canParse(url) && new URL(url).password !== "")
    faults.push(`mail.smtp.url: it holds a password; ${mend}`);
  return faults;
}

/** Every single setting with its schema, by its path. */
function leavesOf(schema: z.ZodType, path: readonly string[] = []): Map<string, z.ZodType> {
  const inner = unwrap(schema);
  if (!(inner instanceof z.ZodObject)) return new Map([[path.join("."), schema]]);
  const leaves = new Map<string, z.ZodType>();
  for (const [name, member] of Object.entries(inner.shape)) {
    for (const [leafPath, leaf] of leavesOf(member as z.ZodType, [...path, name])) leaves.set(leafPath, leaf);
  }
  return leaves;
}

function unwrap(schema: z.ZodType): z.ZodType {
  if (schema instanceof z.ZodPrefault || schema instanceof z.ZodDefault || schema instanceof z.ZodOptional) {
    return unwrap(schema.def.innerType as z.ZodType);
  }
  return schema;
}

/** `passwords.minimumLength` → `LUCCHETTO_PASSWORDS_MINIMUM_LENGTH`. */
export function variableOf(path: string): string {
  return (
    PREFIX +
    path
      .replace(/[A-Z]/g, (letter) => `_${letter}`)
      .replaceAll(".", "_")
      .toUpperCase()
  );
}

function overrideFrom(
  environment: Environment,
  settings: ReadonlyMap<string, z.ZodType>,
  fromFile: Tree,
  faults: string[],
): Tree {
  const merged = structuredClone(fromFile);
  const known = new Map([...settings].map(([path, leaf]) => [variableOf(path), { path, leaf }]));
  for (const [name, text] of Object.entries(environment)) {
    if (
      !name.startsWith(PREFIX) ||
      text === undefined ||
      NOT_SETTINGS.has(name) ||
      SECRET_VARIABLES.has(name)
    )
      continue;
    const setting = known.get(name);
    if (setting === undefined) {
      faults.push(
        `${name}: no setting has this variable; the variables are ${PREFIX} and the setting's path in capitals`,
      );
      continue;
    }
    setPath(merged, setting.path.split("."), readVariable(text, setting.leaf));
  }
  return merged;
}

/** A variable is taken as the text it is where the setting takes text, else read as a YAML value (`8420`, `[a, b]`). */
function readVariable(text: string, leaf: z.ZodType): unknown {
  if (leaf.safeParse(text).success) return text;
  try {
    return parse(text);
  } catch {
    return text;
  }
}

function setPath(tree: Tree, path: readonly string[], value: unknown): void {
  const [first = "", ...rest] = path;
  if (rest.length === 0) {
    tree[first] = value;
    return;
  }
  const below = tree[first];
  const branch = typeof below === "object" && below !== null ? (below as Tree) : {};
  tree[first] = branch;
  setPath(branch, rest, value);
}

function describeIssue(issue: z.core.$ZodIssue, merged: Tree): string[] {
  const path = issue.path.map(String);
  if (issue.code === "unrecognized_keys") {
    return issue.keys.map((key) => `${[...path, key].join(".")}: there is no such setting`);
  }
  const setting = path.filter((part) => !/^\d+$/.test(part)).join(".");
  const value = valueAt(merged, setting.split("."));
  const expected = expectedAt(setting);
  if (value === undefined)
    return [`${setting}: missing, expected ${expected} (or set ${variableOf(setting)})`];
  return [`${setting}: found ${show(value)}, expected ${expected}${hintOfSwap(value, setting)}`];
}

function expectedAt(setting: string): string {
  const leaf = leavesOf(configurationSchema).get(setting);
  return leaf?.meta()?.expected ?? (leaf && unwrap(leaf).meta()?.expected) ?? "a group of settings";
}

function valueAt(tree: unknown, path: readonly string[]): unknown {
  return path.reduce<unknown>(
    (branch, name) => (typeof branch === "object" && branch !== null ? (branch as Tree)[name] : undefined),
    tree,
  );
}

const LONGEST_SHOWN = 80;

function show(value: unknown): string {
  const text = JSON.stringify(value);
  const masked = text.replace(/:\/\/([^:@/"]*):[^@"]*@/g, "://$1:…@");
  return masked.length > LONGEST_SHOWN ? `${masked.slice(0, LONGEST_SHOWN)}…` : masked;
}

/** Says so when a value plainly belongs to another setting. */
function hintOfSwap(value: unknown, setting: string): string {
  if (typeof value !== "string") return "";
  const home = HOMES.find(({ looks }) => looks.test(value));
  if (home === undefined || home.settings.includes(setting)) return "";
  return `; this looks like ${home.what} and belongs to ${home.settings.join(" or ")} (are two values swapped?)`;
}

const HOMES = [
  { looks: /^https?:\/\//, what: "a web address", settings: ["publicUrl"] },
  { looks: /^(mariadb|mysql):\/\//, what: "a database address", settings: ["database.url"] },
  { looks: /^\$[a-z0-9-]+\$/, what: "a password scheme", settings: ["passwords.hashing.scheme"] },
  { looks: /^(development|production)$/, what: "a mode", settings: ["mode"] },
];

function readDatabasePassword(
  configuration: z.output<typeof configurationSchema>,
  path: string,
  environment: Environment,
  faults: string[],
): string | null {
  const fromEnvironment = environment[PASSWORD_VARIABLE];
  if (fromEnvironment !== undefined) return fromEnvironment;
  const file = configuration.database.passwordFile;
  if (file === undefined) return null;
  return readSecretFile(resolve(dirname(path), file), "database.passwordFile", faults);
}

function readKeys(
  configuration: z.output<typeof configurationSchema>,
  path: string,
  faults: string[],
): KeyRing | null {
  const { file } = configuration.keys;
  if (file === undefined) return null;
  const text = readSecretFile(resolve(dirname(path), file), "keys.file", faults);
  if (text === null) return null;
  try {
    return readKeyRing(parse(text));
  } catch (error) {
    const why = error instanceof KeyRingError ? error.message : "the file is not YAML";
    faults.push(`keys.file: ${why}`);
    return null;
  }
}
