import { expect, test } from "@jest/globals";
import type { DataSource, EntityManager, EntitySchema } from "typeorm";
import { aWhile, eventually } from "../../../../testing/eventually.ts";
import { noteQueued, onQueued } from "./wake.ts";

const databases = [{}, {}] as DataSource[];
const [one, other] = databases.map((dataSource) => ({ dataSource })) as [EntityManager, EntityManager];
const MAILS = {} as EntitySchema<object>;
const NOTICES = {} as EntitySchema<object>;

test("who sends from a table is woken once for what came in a moment, and by nothing else", async () => {
  const woken: string[] = [];
  const ends = [
    onQueued(one.dataSource, MAILS, () => woken.push("mails")),
    onQueued(one.dataSource, NOTICES, () => woken.push("notices")),
    onQueued(other.dataSource, MAILS, () => woken.push("other")),
  ];
  for (let row = 0; row < 3; row += 1) noteQueued(one, MAILS);
  await eventually(() => woken.length > 0);
  noteQueued(one, NOTICES);
  await eventually(() => woken.length > 1);
  expect(woken).toEqual(["mails", "notices"]);
  noteQueued(one, MAILS);
  for (const end of ends) end();
  noteQueued(other, MAILS);
  await aWhile(100);
  expect(woken).toEqual(["mails", "notices"]);
});
