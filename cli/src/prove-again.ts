/** A change that wants a proof of the last minutes: asked for in place, and then the command goes on. */
import type { Client, CodeProofName } from "@lucchetto/contract";
import { codeProofOf, createClient, routes } from "@lucchetto/contract";
import { askAgain, askCode, askPassword, takeLine } from "./ask.ts";
import { Failure } from "./failure.ts";
import { terminal } from "./terminal.ts";

export interface Proving {
  readonly url: string;
  readonly token: string;
  /** Password, and a code where one is wanted, come as lines of standard input. */
  readonly fromStdin: boolean;
}

/** The code of the problem that the service answered with; `null` for anything else. By name: the error's class may not be loaded. */
export function problemCodeOf(error: unknown): string | null {
  return error instanceof Error && error.name === "ProblemError"
    ? (error as Error & { problem: { code: string } }).problem.code
    : null;
}

/** Whether the service wants a fresh proof. */
export const wantsProof = (error: unknown): boolean => problemCodeOf(error) === "reauthenticate";

/**
 * Shows password and second factor once more.
 * @returns the new own token, which takes the old one's place. @throws Failure where nobody can be asked.
 */
export async function proveAgain({ url, token, fromStdin }: Proving): Promise<string> {
  if (!fromStdin && terminal().stdin.isTTY !== true)
    throw new Failure(
      "This needs a proof from the last ten minutes. Run `lucchetto sign-in` again first, or add --proof-stdin and give the password as a line of standard input.",
    );
  const client: Client = createClient({ baseUrl: url, token });
  terminal().stderr.write("Please confirm that it is you.\n");
  const password = fromStdin ? await takeLine() : await askPassword({}, "Your password");
  const proof = { type: "password", password } as const;
  const first = await client(routes.reauthenticate, { body: { proof } });
  if (first.status === 201) return tokenOf(first.body);
  const second = await askAgain(async () =>
    client(routes.reauthenticate, { body: { proof: await askSecondFactor() } }),
  );
  if (second.status === 201) return tokenOf(second.body);
  throw new Failure("More proofs are needed than this command can give; do it in the console.");
}

function tokenOf({ token }: { token?: string | undefined }): string {
  if (token === undefined) throw new Failure("The service gave no new token.");
  return token;
}

/** A code of the authenticator app, or a recovery code, told apart by their look. */
export async function askSecondFactor(): Promise<{ type: CodeProofName; code: string }> {
  const code = await askCode("Code of your authenticator app, or a recovery code");
  if (code === "")
    throw new Failure(
      "A second factor is wanted. Do it on a terminal, or give the code in the line after the password.",
    );
  return codeProofOf(code);
}
