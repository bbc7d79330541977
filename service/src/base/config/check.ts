/** Checks settings, with what the environment says in their place, and fills in what follows from others. */
import { resolve } from "node:path";
import type { KeyRing } from "@lucchetto/core";
import { KeyRingError, readKeyRing, readWebhookSecret } from "@lucchetto/core";
import { parse } from "yaml";
import type { z } from "zod";
import { readTemplates } from "../mail-text/templates.ts";
import { describeIssue } from "./describe-issue.ts";
import { overrideFrom } from "./environment.ts";
import { ConfigurationError } from "./error.ts";
import type { Tree } from "./file.ts";
import { readLogo, readMail, readStylesheet } from "./mail.ts";
import { readPasskeySettings } from "./passkeys.ts";
import type { Configuration, ThrottleSettings, WebhookSettings } from "./schema.ts";
import { configurationSchema, faultsOfMode } from "./schema.ts";
import type { Environment, SecretPlaces } from "./secrets.ts";
import { faultsOfSecretsInYaml, readSecret, SECRET_VARIABLES } from "./secrets.ts";

type Checked = z.output<typeof configurationSchema>;

/** Beside what is checked. */
interface CheckOptions {
  /** Overrides settings, and holds secrets. */
  readonly environment?: Environment;
  /** What messages call it. */
  readonly source?: string;
}

/**
 * Checks everything, and says all that is wrong at once.
 * @param folder where files that are named lie.
 * @throws ConfigurationError.
 */
export function checkConfiguration(
  tree: Tree,
  folder: string,
  { source = "what was given", environment = process.env }: CheckOptions = {},
): Configuration {
  // `mail: none` is short for `mail: { via: none }`.
  const given = structuredClone(tree["mail"] === "none" ? { ...tree, mail: { via: "none" } } : tree);
  const faults = faultsOfSecretsInYaml(given);
  const settings = overrideFrom(environment, given, faults);
  const parsed = configurationSchema.safeParse(settings);
  if (!parsed.success) {
    const issues = parsed.error.issues.flatMap((issue) => describeIssue(issue, settings));
    throw new ConfigurationError(source, [...faults, ...issues]);
  }
  const checked = parsed.data;
  const { passwords, links, accounts, site, journal } = checked;
  faults.push(...faultsOfMode(checked));
  const places = { folder, environment, faults };
  const beside = (file: string | undefined) => (file === undefined ? null : resolve(folder, file));
  const compromisedList = beside(passwords.compromisedList);
  const headFile = beside(journal.headFile);
  const configuration = {
    ...checked,
    passwords: { ...passwords, ...(compromisedList === null ? {} : { compromisedList }) },
    journal: { ...journal, ...(headFile === null ? {} : { headFile }) },
    throttle: fillThrottle(checked),
    webhooks: fillWebhooks(checked, readWebhooksSecret(checked, places)),
    mail: readMail(checked, places),
    templates: readTemplates(beside(checked.mail.templates), faults),
    logo: readLogo(beside(site.logo), faults),
    stylesheet: readStylesheet(beside(site.stylesheet), faults),
    passkeys: readPasskeySettings(checked, beside, faults),
    links: {
      verify: links.verify,
      reset: links.reset,
      "sign-in": links.signIn,
      invite: links.invite,
      "change-email": links.changeEmail,
      "undo-change": links.undoChange,
      "undo-factor": links.undoChange,
      "undo-erase": accounts.eraseAfter,
    },
    verifyEmail: verificationOf(checked),
    databasePassword: readSecret(places, {
      variable: SECRET_VARIABLES.database,
      file: checked.database.passwordFile,
      setting: "database.passwordFile",
    }),
    keyRing: readKeys(checked, places),
    tellTaken: accounts.tellTaken ?? checked.mode === "development",
    grace: checked.listen.grace ?? (checked.mode === "production" ? GRACE_IN_PRODUCTION : 0),
  };
  if (faults.length > 0) throw new ConfigurationError(source, faults);
  return configuration;
}

/** Unless said otherwise production wants a proof of the address, where it can ask for one. */
function verificationOf({ mode, mail, accounts }: Checked) {
  return accounts.verifyEmail ?? (mode === "production" && mail.via !== "none" ? "required" : "reminded");
}

/** Milliseconds: proxies look every second or so whether a service is ready. */
const GRACE_IN_PRODUCTION = 2_000;

const MINUTE = 60_000;
/** Where the configuration says nothing. Development does not let its developer wait. */
const THROTTLE_BY_MODE = {
  development: {
    firstWait: 1_000,
    longestWait: 10_000,
    network: { most: 100, window: MINUTE },
    registrations: { most: 1_000, window: 60 * MINUTE },
    apps: { most: 600, window: MINUTE },
    challenges: { most: 1_000, window: MINUTE },
  },
  production: {
    firstWait: 5_000,
    longestWait: 15 * MINUTE,
    network: { most: 100, window: 15 * MINUTE },
    registrations: { most: 60, window: 60 * MINUTE },
    apps: { most: 600, window: MINUTE },
    challenges: { most: 600, window: 15 * MINUTE },
  },
} as const;

function fillThrottle({ mode, throttle }: Checked): ThrottleSettings {
  const usual = THROTTLE_BY_MODE[mode];
  const fill = (name: "network" | "registrations" | "apps" | "challenges") => ({
    most: throttle[name].most ?? usual[name].most,
    window: throttle[name].window ?? usual[name].window,
  });
  return {
    free: throttle.free,
    firstWait: throttle.firstWait ?? usual.firstWait,
    longestWait: throttle.longestWait ?? usual.longestWait,
    network: fill("network"),
    registrations: fill("registrations"),
    apps: fill("apps"),
    challenges: fill("challenges"),
  };
}

function fillWebhooks({ mode, webhooks }: Checked, secret: Uint8Array | null): WebhookSettings {
  const { consult, notify, privateReceivers } = webhooks;
  return {
    secret,
    // A public service must not be made to speak to what stands beside it; in development everything stands beside it.
    reach: { everywhere: mode === "development", listed: privateReceivers },
    consult: { ...consult, whenSilent: consult.whenSilent ?? "refuse" },
    notify,
  };
}

function readWebhooksSecret({ webhooks }: Checked, places: SecretPlaces): Uint8Array | null {
  if (webhooks.consult.url === undefined && webhooks.notify.url === undefined) return null;
  const { secretFile: file } = webhooks;
  const variable = SECRET_VARIABLES.webhooks;
  const text = readSecret(places, { variable, file, setting: "webhooks.secretFile" });
  if (text === null) {
    if (file === undefined)
      places.faults.push(
        `webhooks.secretFile: missing, expected the path of a file of mode 0600 with a signing secret, whsec_ and 32 random bytes in base64 (or set ${variable})`,
      );
    return null;
  }
  const secret = readWebhookSecret(text);
  if (secret === null)
    places.faults.push(
      "webhooks.secretFile: expected whsec_ and 24 to 64 random bytes in base64 (the value is not shown)",
    );
  return secret;
}

function readKeys({ keys: { file } }: Checked, places: SecretPlaces): KeyRing | null {
  const text = readSecret(places, { file, setting: "keys.file" });
  if (text === null) return null;
  try {
    return readKeyRing(parse(text));
  } catch (error) {
    const why = error instanceof KeyRingError ? error.message : "the file is not YAML";
    places.faults.push(`keys.file: ${why}`);
    return null;
  }
}
