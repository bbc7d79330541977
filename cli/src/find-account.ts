/** Finds the account that somebody names on the command line. */
import { routes } from "@lucchetto/contract";
import type { Connection } from "./connection.ts";
import { Failure } from "./failure.ts";

/** @param named e-mail address, username, id or reference. @returns the id. @throws Failure if it is none, or several. */
export async function findId(connection: Connection, named: string): Promise<string> {
  const { body } = await connection.signedIn()(routes.listAccounts, { query: { search: named, limit: 25 } });
  const wanted = named.toLowerCase();
  const exact = body.items.filter((one) =>
    [one.id, one.email, one.username, one.reference].some((value) => value?.toLowerCase() === wanted),
  );
  const [only, ...more] = exact.length > 0 ? exact : body.items;
  if (only === undefined) throw new Failure(`No account is called ${named}. Run: lucchetto account list`);
  if (more.length > 0)
    throw new Failure(`${more.length + 1} accounts begin with ${named}; name one in full.`);
  return only.id;
}
