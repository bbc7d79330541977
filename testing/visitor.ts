/** A browser as the service sees it: it keeps its cookies and names its origin. */
import type { MailboxItem, Open } from "@lucchetto/contract";
import { routes } from "@lucchetto/contract";
import { eventually } from "./eventually.ts";
import type { TestService } from "./service.ts";
import { PASSWORD, send } from "./service.ts";

export type Reply = Awaited<ReturnType<typeof send>>;

export class Visitor {
  readonly cookies = new Map<string, string>();
  private readonly service: TestService;

  constructor(service: TestService) {
    this.service = service;
  }

  async call(
    method: string,
    path: string,
    body?: unknown,
    { headers = {}, at = this.service }: { headers?: Record<string, string>; at?: TestService } = {},
  ): Promise<Reply> {
    const cookie = [...this.cookies].map(([name, value]) => `${name}=${value}`).join("; ");
    const reply = await send(at, method, path, {
      headers: {
        origin: at.url,
        ...(cookie === "" ? {} : { cookie }),
        ...(body === undefined ? {} : { "content-type": "application/json" }),
        ...headers,
      },
      body: body === undefined ? null : JSON.stringify(body),
    });
    for (const line of reply.headers.getSetCookie()) {
      const [pair = ""] = line.split(";", 1);
      const name = pair.slice(0, pair.indexOf("="));
      if (/max-age=0/i.test(line)) this.cookies.delete(name);
      else this.cookies.set(name, pair.slice(name.length + 1));
    }
    return reply;
  }

  post(path: string, body: unknown): Promise<Reply> {
    return this.call("POST", path, body);
  }
}

/** What a problem says. */
export function codeOf(reply: Reply): string | undefined {
  return reply.json<{ code?: string }>().code;
}

/** All mails to an address, newest first. */
export async function mailsTo(service: TestService, to: string): Promise<Array<Open<MailboxItem>>> {
  const { body } = await service.client(routes.listDevelopmentMailbox, { query: { to, limit: 100 } });
  return body.items;
}

/** The newest mail of a template to an address that is not among those seen; mails are written after some replies. */
export async function mailTo(
  service: TestService,
  to: string,
  template: string,
  seen: ReadonlySet<string> = new Set(),
): Promise<Open<MailboxItem>> {
  return eventually(
    async () => (await mailsTo(service, to)).find((one) => one.template === template && !seen.has(one.id)),
    `the mail “${template}” to ${to}`,
  );
}

/** The secret in the link of a mail. */
export function secretOf({ links }: Pick<Open<MailboxItem>, "links">): string {
  return new URL(links[0] ?? "").hash.slice(1);
}

/** Somebody who registered and proved the address. @returns a session begun since: those before it ended with the proof. */
export async function registerProved(
  service: TestService,
  email: string,
): Promise<{ id: string; token: string }> {
  const { id } = await service.register(email);
  await proveAddress(service, email);
  return { id, token: await service.signIn(email) };
}

/** Proves the address of somebody who registered, with the link in the mail and the password. */
export async function proveAddress(service: TestService, email: string, present = PASSWORD): Promise<void> {
  const secret = secretOf(await mailTo(service, email, "verify"));
  await service.client(routes.redeemLink, { body: { secret, present } });
}
