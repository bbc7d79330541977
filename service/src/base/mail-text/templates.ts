/** All templates in all languages: the built-in ones, and an operator's own in their place. */
import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import type { Language } from "@lucchetto/core";
import { LANGUAGES } from "@lucchetto/core";
import type { MailName } from "./catalogue.ts";
import { MAIL_NAMES } from "./catalogue.ts";
import type { Template } from "./template.ts";
import { readTemplate, TemplateError } from "./template.ts";
import { ENGLISH } from "./texts/english.ts";
import { ITALIAN } from "./texts/italian.ts";

export type Templates = Readonly<Record<MailName, Readonly<Record<Language, Template>>>>;

/** The sources of the built-in ones, in the form that an operator's own have too. */
export const BUILT_IN: Readonly<Record<Language, Readonly<Record<MailName, string>>>> = {
  en: ENGLISH,
  it: ITALIAN,
};

/** `reset.it.txt` */
const FILE = /^([a-z-]+)\.([a-z]{2})\.txt$/;

/**
 * Reads them all.
 * @param folder of the operator's own, named `reset.it.txt`; `null`: there is none.
 * @param faults gets a sentence for each file that cannot be used.
 */
export function readTemplates(folder: string | null, faults: string[]): Templates {
  const own = folder === null ? new Map<string, Template>() : readFolder(folder, faults);
  const one = (name: MailName, language: Language): Template =>
    own.get(`${name}.${language}`) ?? readTemplate(name, BUILT_IN[language][name]);
  return Object.fromEntries(
    MAIL_NAMES.map((name) => [name, { en: one(name, "en"), it: one(name, "it") }]),
  ) as Record<MailName, Record<Language, Template>>;
}

function readFolder(folder: string, faults: string[]): Map<string, Template> {
  const own = new Map<string, Template>();
  let files: string[];
  try {
    files = readdirSync(folder).filter((file) => !file.startsWith("."));
  } catch (error) {
    faults.push(`mail.templates: ${folder} cannot be read (${(error as NodeJS.ErrnoException).code})`);
    return own;
  }
  for (const file of files) {
    const [, name = "", language = ""] = FILE.exec(file) ?? [];
    if (!isMailName(name) || !isLanguage(language)) {
      faults.push(
        `mail.templates: ${join(folder, file)} is the name of no template; expected one of ${MAIL_NAMES.join(", ")}, then .${LANGUAGES.join(".txt or .")}.txt`,
      );
      continue;
    }
    try {
      const text = new TextDecoder("utf-8", { fatal: true }).decode(readFileSync(join(folder, file)));
      own.set(`${name}.${language}`, readTemplate(name, text));
    } catch (error) {
      const why = error instanceof TemplateError ? error.message : "it is not UTF-8, or cannot be read";
      faults.push(`mail.templates: ${join(folder, file)}: ${why}`);
    }
  }
  return own;
}

function isMailName(text: string): text is MailName {
  return (MAIL_NAMES as readonly string[]).includes(text);
}

function isLanguage(text: string): text is Language {
  return (LANGUAGES as readonly string[]).includes(text);
}
