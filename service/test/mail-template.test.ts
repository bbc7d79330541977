import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { durationInWords } from "../src/base/duration.ts";
import { MAIL_KINDS, MAIL_NAMES } from "../src/base/mail-text/catalogue.ts";
import { contrastColour } from "../src/base/mail-text/colour.ts";
import { render } from "../src/base/mail-text/render.ts";
import { readTemplate, TemplateError } from "../src/base/mail-text/template.ts";
import { BUILT_IN, readTemplates } from "../src/base/mail-text/templates.ts";
import { browserInWords } from "../src/base/mail-text/words.ts";
import { timeInWords } from "../src/base/mail-text/words.ts";

const folder = mkdtempSync(join(tmpdir(), "lucchetto-templates-"));
afterAll(() => rmSync(folder, { recursive: true }));

const LOOK = { site: { name: "Brina Huts", colour: "#866729", hasLogo: false }, language: "en" };
const LINK = "https://accounts.brina.example/link#lcl_x";

describe("the templates of mails", () => {
  test("every mail stands in both languages, says all it needs, and reads as text and HTML", () => {
    for (const language of ["en", "it"] as const) {
      for (const name of MAIL_NAMES) {
        const template = readTemplate(name, BUILT_IN[language][name]);
        const values = Object.fromEntries(MAIL_KINDS[name].says.map((one) => [one, `«${one}»`]));
        const { subject, text, html } = render(template, { ...values, link: LINK }, LOOK);
        expect(`${subject}${text}${html}`).not.toMatch(/\{\{|\}\}/);
        expect(text.split("\n").every((line) => line.length <= 100)).toBe(true);
        if (MAIL_KINDS[name].needsLink) {
          expect(text).toContain(LINK);
          expect(html).toContain(`href="${LINK}"`);
        }
        expect(html).toContain("prefers-color-scheme: dark");
      }
    }
  });

  test("S10 browsers and programs are named if they are known; a stranger writes nothing into anybody's mail", () => {
    expect(
      browserInWords("Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0", "en"),
    ).toBe("Firefox on Linux");
    expect(browserInWords("curl/8.5.0", "en")).toBe("curl");
    for (const stranger of [
      "https:www.brina-security.example?call",
      "Call +39-0125 now",
      "",
      "x".repeat(5_000),
    ])
      expect(browserInWords(stranger, "it")).toBe("sconosciuto");
    fc.assert(
      fc.property(fc.string({ maxLength: 60 }), (said) => {
        expect(browserInWords(`${said}.example/1`, "en")).not.toContain(".example");
      }),
    );
  });

  test("HT-15 whatever people call themselves is text: no markup, no further line in the subject", () => {
    const template = readTemplate(
      "invitation-accepted",
      "Subject: Hello {{name}}\n\nDear {{name}}\n\n- Who: {{name}}\n",
    );
    fc.assert(
      fc.property(fc.string({ unit: "binary", maxLength: 80 }), (name) => {
        const { subject, html } = render(template, { name }, LOOK);
        expect(subject).not.toMatch(/[\r\n\0]/);
        // Besides the markup of the frame there is none: as many signs as with an innocent name.
        const innocent = render(template, { name: "Anna" }, LOOK).html;
        expect(html.match(/</g)?.length).toBe(innocent.match(/</g)?.length);
        expect(html.match(/"/g)?.length).toBe(innocent.match(/"/g)?.length);
      }),
    );
  });

  test.each([
    ["Hello\n\nText\n", /line 1: expected “Subject/],
    ["Subject: A\nText\n", /line 2: expected an empty line/],
    ["Subject: A\n\nDear {{nme}}\n\n[Go]({{link}})\n", /line 3: there is no {{nme}} .*link, life/],
    ["Subject: A\n\nDear {{name\n\n[Go]({{link}})\n", /line 3: double braces/],
    ["Subject: A\n\nText without a button\n", /the button is missing/],
    ["Subject: A\n\n[Go]({{link}})\n\n[Go]({{link}})\n", /more than one button/],
  ])("a broken one is named with its line: %j", (source, message) => {
    expect(() => readTemplate("reset", source)).toThrow(TemplateError);
    expect(() => readTemplate("reset", source)).toThrow(message);
  });

  test("an operator's own takes the place of the built-in one; broken and misnamed files are all told", () => {
    writeFileSync(join(folder, "reset.it.txt"), "Subject: Ciao da {{site}}\r\n\r\n[Vai]({{link}})\r\n");
    const faults: string[] = [];
    const templates = readTemplates(folder, faults);
    expect(faults).toEqual([]);
    expect(templates.reset.it.subject).toBe("Ciao da {{site}}");
    expect(templates.reset.en.subject).toContain("Choose a new password");
    writeFileSync(join(folder, "reset.en.txt"), "Subject: A\n\n{{secret}}\n");
    writeFileSync(join(folder, "resett.en.txt"), "");
    writeFileSync(join(folder, "verify.en.txt"), Buffer.from([0x53, 0xff]));
    readTemplates(folder, faults);
    expect(faults).toHaveLength(3);
    expect(faults.join("\n")).toMatch(/reset\.en\.txt: line 3: there is no \{\{secret\}\}/);
    expect(faults.join("\n")).toMatch(/resett\.en\.txt is the name of no template/);
    expect(faults.join("\n")).toMatch(/verify\.en\.txt: it is not UTF-8/);
  });

  test("durations and times are said in the language of the mail, and buttons can be read on any colour", () => {
    expect([30, 60, 1_440, 10_080].map((minutes) => durationInWords(minutes * 60_000, "en"))).toEqual([
      "30 minutes",
      "1 hour",
      "24 hours",
      "7 days",
    ]);
    expect(durationInWords(10_080 * 60_000, "it")).toBe("7 giorni");
    expect(durationInWords(90 * 60_000, "it")).toBe("1 ora e 30 minuti");
    expect(timeInWords(new Date("2026-11-23T13:04:00Z"), "it")).toBe("23 novembre 2026, 13:04 UTC");
    expect(["#000000", "#866729", "#ffee88", "#ffffff"].map(contrastColour)).toEqual([
      "#ffffff",
      "#ffffff",
      "#111111",
      "#111111",
    ]);
  });
});
