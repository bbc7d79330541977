/** Which application an authorization request is of that waits behind one of our pages. */
import type { VisitedApp } from "@lucchetto/contract";
import type { DataSource } from "typeorm";
import { findByClientId } from "./store.ts";

/** @param path of this service to go on to; `null`: none. @returns its name and first page; `null`: no app of ours asked. */
export async function appBehind(
  { dataSource }: { readonly dataSource: DataSource },
  path: string | null,
): Promise<VisitedApp | null> {
  const mark = path?.indexOf("?") ?? -1;
  if (path === null || mark < 0) return null;
  const clientId = new URLSearchParams(path.slice(mark + 1)).get("client_id");
  const app = clientId === null ? null : await findByClientId(dataSource, clientId);
  return app && { name: app.name, home: app.home };
}
