/** The table as the page that people read. */
import type { Ending, RecoveryRule } from "./table.ts";
import { FROM_BEFORE_RULES, OPERATOR_RULES, RECOVERY_RULES, WHO_WINS } from "./table.ts";

const IN_WORDS: Readonly<Record<Ending, string>> = {
  sessions: "sessions",
  "sign-ins": "sign-ins in progress",
  "access-keys": "access keys",
  "known-devices": "known browsers",
  links: "mailed links",
  "password-count": "the count of wrong passwords",
  password: "the password",
};

/** `docs/recovery.md`, in Markdown. */
export function recoveryDocument(): string {
  const rules: readonly RecoveryRule[] = Object.values(RECOVERY_RULES);
  const rows = rules.map(({ happens, allowed, ends, told }) => {
    const ending = ends.length === 0 ? "nothing" : ends.map((what) => IN_WORDS[what]).join(", ");
    return `| ${happens} | ${allowed} | ${ending} | ${told} |`;
  });
  return `# Account recovery: who can take over an account, and who gets it back

A click alone never gives anything away. No single thing (a mailbox, a password, a session) is enough to take over an account that has
more protection. A robbed owner gets back in with what they had before.

This page is generated from the table the service itself uses (\`core/src/recovery-rules/table.ts\`), and a test plays through every row.

| event | who can do it, and with what | what it ends | who is notified |
| --- | --- | --- | --- |
${rows.join("\n")}

## What counts as a thing from before

${FROM_BEFORE_RULES.map((rule) => `- ${rule}`).join("\n")}

## If somebody else got in

Undo links go to the addresses the owner had verified. With the owner's link and what the owner still has:

| the intruder has | the owner has | who ends up with the account |
| --- | --- | --- |
${WHO_WINS.map((row) => `| ${row.join(" | ")} |`).join("\n")}

Where an operator has to help: the operator removes the second factor, corrects the address or sets a first password, with a reason. This ends access keys, known
browsers, mailed links and sign-ins in progress; undo links remain valid.

## Operators

${OPERATOR_RULES.map((rule) => `- ${rule}`).join("\n")}
`;
}
