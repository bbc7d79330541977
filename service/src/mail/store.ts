import type { DataSource, EntityManager } from "typeorm";
import { LessThan } from "typeorm";
import type { MailRow, PageQuery } from "../storage/index.ts";
import { MailEntity, readCursor } from "../storage/index.ts";

export async function insertMail(manager: EntityManager, row: MailRow): Promise<void> {
  await manager.getRepository(MailEntity).insert(row);
}

/** One more row than the page holds, newest first. */
export function listMails(dataSource: DataSource, page: PageQuery): Promise<MailRow[]> {
  const cursor = readCursor(page);
  return dataSource.getRepository(MailEntity).find({
    ...(cursor === null ? {} : { where: { id: LessThan(cursor) } }),
    order: { id: "DESC" },
    take: page.limit + 1,
  });
}
