/** Finds the account that somebody names on the command line. */
import type { Account, Open } from "@lucchetto/contract";
import { ProblemError, routes } from "@lucchetto/contract";
import type { Connection } from "./connection.ts";
import { Failure } from "./failure.ts";

const ID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/;
const PAGE = 100;

/** @param named id, e-mail address, username or reference, whole. @returns the id. @throws Failure if no account has it. */
export async function findId(connection: Connection, named: string): Promise<string> {
  const wanted = named.toLowerCase();
  if (ID.test(wanted) && (await isAccount(connection, wanted))) return wanted;
  const found = await findNamed(connection, wanted);
  if (found !== null) return found.id;
  throw new Failure(
    `No account has the id, address, username or reference ${named}. To look for it: lucchetto account list ${named}`,
  );
}

async function isAccount(connection: Connection, id: string): Promise<boolean> {
  try {
    await connection.signedIn()(routes.showAccountDetail, { params: { id } });
    return true;
  } catch (error) {
    if (error instanceof ProblemError && error.problem.code === "not-found") return false;
    throw error;
  }
}

/**
 * By address or username, which can't be confused; else by reference. Others whose names merely begin with it may stand before it.
 * Display names name nobody: people choose them.
 */
async function findNamed(connection: Connection, named: string): Promise<Open<Account> | null> {
  const call = connection.signedIn();
  let byReference: Open<Account> | null = null;
  for (let cursor: string | undefined; ;) {
    const query = { search: named, limit: PAGE, ...(cursor === undefined ? {} : { cursor }) };
    const { body } = await call(routes.listAccounts, { query });
    const has = (name: "email" | "username" | "reference") =>
      body.items.find((account) => account[name]?.toLowerCase() === named) ?? null;
    const match = has("email") ?? has("username");
    if (match !== null) return match;
    byReference ??= has("reference");
    if (body.next === null) return byReference;
    cursor = body.next;
  }
}
