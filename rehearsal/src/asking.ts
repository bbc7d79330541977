/** Plain HTTP as an attacker speaks it: no redirect is followed, and nothing lasts or grows without end. */

const MAX_BODY_BYTES = 2 ** 20;

/** An answer, or how it was none. */
export interface Reply {
  readonly status: number;
  readonly headers: Headers;
  readonly text: string;
}

export interface Question {
  readonly method?: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly body?: string | null;
}

/** @param deadline milliseconds. @throws Error that says whether it did not answer, or did not end. */
export async function ask(
  address: string,
  { method = "GET", headers = {}, body = null, deadline }: Question & { deadline: number },
): Promise<Reply> {
  const signal = AbortSignal.timeout(deadline);
  try {
    const reply = await fetch(address, { method, headers, body, redirect: "manual", signal });
    return { status: reply.status, headers: reply.headers, text: await readSome(reply) };
  } catch (error) {
    if (signal.aborted)
      throw new Error(`${address} did not answer to its end within ${deadline / 1_000} s`, { cause: error });
    const { cause } = error as { cause?: { message?: string } };
    throw new Error(`${address} cannot be asked: ${cause?.message ?? (error as Error).message}`, {
      cause: error,
    });
  }
}

/** Where a reply leads; `null`: it does not. @param from the address that was asked. */
export function redirectOf({ status, headers }: Reply, from: string): string | null {
  const location = headers.get("location");
  return status >= 300 && status < 400 && location !== null ? new URL(location, from).href : null;
}

/** What it says, up to a mebibyte: a stream without end is left. */
async function readSome(reply: Response): Promise<string> {
  const decoder = new TextDecoder();
  let text = "";
  const reader = reply.body?.getReader();
  while (reader !== undefined && text.length < MAX_BODY_BYTES) {
    const { done, value } = await reader.read();
    if (done) break;
    text += decoder.decode(value, { stream: true });
  }
  await reader?.cancel();
  return text;
}
