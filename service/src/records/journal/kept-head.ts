/**
 * The head that this instance saw last, kept in a file outside the database: whoever can write to the database alone cannot put the chain
 * back to an earlier end while the service stands still, and go unnoticed.
 */
import { randomBytes } from "node:crypto";
import { readFile, rename, rm, writeFile } from "node:fs/promises";
import type { ChainPoint } from "@lucchetto/core";
import { readHead, writeHead } from "@lucchetto/core";
import type { FastifyBaseLogger } from "fastify";

/** @returns `null` where there is no file yet, and where it holds no head, which is logged. */
export async function readKeptHead(
  path: string,
  logger: Pick<FastifyBaseLogger, "error">,
): Promise<ChainPoint | null> {
  try {
    const head = readHead((await readFile(path, "utf8")).trim());
    if (head === null)
      logger.error({ file: path }, "journal.headFile holds no head of a journal; it is written anew");
    return head;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== "ENOENT")
      logger.error({ err: error, file: path }, "journal.headFile cannot be read");
    return null;
  }
}

/** Keeps a head in place of the one before: there is always a whole one. @throws what the file system says. */
export async function keepHead(path: string, head: ChainPoint): Promise<void> {
  const beside = `${path}.${randomBytes(6).toString("hex")}`;
  try {
    await writeFile(beside, `${writeHead(head)}\n`, { flag: "wx", mode: 0o600 });
    await rename(beside, path);
  } catch (error) {
    await rm(beside, { force: true });
    throw error;
  }
}
