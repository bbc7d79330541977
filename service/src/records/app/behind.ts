/** The way to an application: which one an authorization request is of that waits behind one of our pages, and where it is entered anew. */
import type { VisitedApp } from "@lucchetto/contract";
import { CONTINUE_PATH, OAUTH_PATHS } from "@lucchetto/contract";
import type { DataSource } from "typeorm";
import { basePathOf } from "../../base/http/address.ts";
import type { AppRow } from "../../base/storage/index.ts";
import { findByClientId } from "./store.ts";

interface Parts {
  readonly dataSource: DataSource;
  readonly configuration: { readonly publicUrl: string };
}

/**
 * Milliseconds that an authorization request can be taken up again: the application forgets after an hour whom it sent off, and a
 * proof takes its time, too.
 */
const REQUEST_LIFETIME = 50 * 60_000;

/** @param path of this service to go on to; `null`: none. @returns its name and first page; `null`: no app of ours asked. */
export async function appBehind({ dataSource }: Parts, path: string | null): Promise<VisitedApp | null> {
  const { app } = await readWay(dataSource, path);
  return app && { name: app.name, home: app.home };
}

/** As `appBehind`, with the page that was wanted in place of the first one: entered anew, as by somebody with another browser. */
export async function appAnew(parts: Parts, path: string | null): Promise<VisitedApp | null> {
  const { app, page } = await readWay(parts.dataSource, path);
  return app && { name: app.name, home: enter(parts, app, page) };
}

/**
 * Where somebody goes on to who comes back to a path after a while: to itself; or, if it is an authorization request that the application
 * has forgotten by now, to the same page of it by a fresh one.
 */
export function pathAfterAWhile({ configuration }: Parts, path: string, age: number): string {
  if (age < REQUEST_LIFETIME) return path;
  const base = basePathOf(configuration.publicUrl);
  if (!path.startsWith(`${base}${OAUTH_PATHS.authorize}?`)) return path;
  const asked = new URLSearchParams(path.slice(path.indexOf("?")));
  return continuePath({ configuration }, asked.get("client_id") ?? "", asked.get("target_link_uri"));
}

/** The path that leads to an application: to a page of it, or to its first one. */
export function continuePath(
  { configuration }: Pick<Parts, "configuration">,
  clientId: string,
  page: string | null,
): string {
  const query = new URLSearchParams({
    client_id: clientId,
    ...(page === null ? {} : { target_link_uri: page }),
  });
  return `${basePathOf(configuration.publicUrl)}${CONTINUE_PATH}?${query.toString()}`;
}

/**
 * The application's address at which a page of it is entered: where a sign-in begins there (OpenID Connect Core, section 4), else its first page.
 * @param page leads there only if it is the application's own. @returns `null`: it has neither.
 */
export function enter(
  { configuration }: Pick<Parts, "configuration">,
  app: AppRow,
  page: string | null,
): string | null {
  const { initiateLoginUri, home } = app;
  if (initiateLoginUri === null) return home;
  const address = new URL(initiateLoginUri);
  address.searchParams.set("iss", configuration.publicUrl);
  const target = page !== null && isPageOf(app, page) ? page : home;
  if (target !== null) address.searchParams.set("target_link_uri", target);
  return address.href;
}

/** Whether an address is a page of an application: of the origin of an address that is registered for it. */
export function isPageOf({ redirectUris, home, initiateLoginUri }: AppRow, page: string): boolean {
  if (!URL.canParse(page)) return false;
  const { origin, username, password } = new URL(page);
  const registered = [...redirectUris, home, initiateLoginUri].filter((one) => one !== null);
  return username === "" && password === "" && registered.some((one) => new URL(one).origin === origin);
}

async function readWay(
  dataSource: DataSource,
  path: string | null,
): Promise<{ app: AppRow | null; page: string | null }> {
  const mark = path?.indexOf("?") ?? -1;
  if (path === null || mark < 0) return { app: null, page: null };
  const asked = new URLSearchParams(path.slice(mark + 1));
  const clientId = asked.get("client_id");
  const app = clientId === null ? null : await findByClientId(dataSource, clientId);
  return { app, page: asked.get("target_link_uri") };
}
