/** Work on one thing, one after the other within this process: a hundred at once would only meet each other in the database. */

/** The last of each line, by what it waits for. */
const lines = new Map<string, Promise<unknown>>();

/** Does it when all that came before for the same thing is done, however it ended. */
export async function inTurn<Result>(of: string, work: () => Promise<Result>): Promise<Result> {
  const before = lines.get(of) ?? Promise.resolve();
  const own = before.then(work, work);
  lines.set(of, own);
  try {
    return await own;
  } finally {
    if (lines.get(of) === own) lines.delete(of);
  }
}
