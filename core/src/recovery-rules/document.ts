/** The table as the page that people read. */
import type { Ending, RecoveryRule } from "./table.ts";
import { OPERATOR_RULES, RECOVERY_RULES } from "./table.ts";

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
  return `# Who takes an account over, and who gets it back

A click alone never gives anything away. One thing alone (a mailbox, a password, a session) never takes an account that is
protected by more. Whoever was robbed gets back in with what they had before.

This page is made from the table by which the service decides (\`core/src/recovery-rules/table.ts\`); a test plays every row.

| what happens | who may do it, with what | what ends | who hears of it |
| --- | --- | --- | --- |
${rows.join("\n")}

## Operators

${OPERATOR_RULES.map((rule) => `- ${rule}`).join("\n")}
`;
}
