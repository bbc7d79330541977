import { EntitySchema } from "typeorm";

/** What an app asked on a day, counted. */
export interface AppQuestionRow {
  appId: string;
  /** `YYYY-MM-DD`, UTC. */
  day: string;
  kind: string;
  count: number;
}

export const AppQuestionEntity = new EntitySchema<AppQuestionRow>({
  name: "app_question",
  columns: {
    appId: { type: "uuid", primary: true },
    day: { type: "date", primary: true },
    kind: { type: "varchar", length: 20, charset: "ascii", collation: "ascii_bin", primary: true },
    count: { type: "int" },
  },
  indices: [{ name: "app_question_day", columns: ["day"] }],
  foreignKeys: [
    {
      name: "app_question_app",
      target: "app",
      columnNames: ["appId"],
      referencedColumnNames: ["id"],
      onDelete: "CASCADE",
    },
  ],
});
