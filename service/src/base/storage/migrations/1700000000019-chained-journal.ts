import type { MigrationInterface, QueryRunner } from "typeorm";

/** The journal's chain. Entries of before are chained by the service, beside its work. */
export class ChainedJournal1700000000019 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `ALTER TABLE journal_entry
         ADD COLUMN position bigint NULL,
         ADD COLUMN digest binary(32) NULL,
         ADD COLUMN seal varchar(80) CHARACTER SET ascii COLLATE ascii_bin NULL,
         ADD KEY journal_entry_position (position)`,
    );
    const point = (name: string) => `${name}Position bigint NOT NULL, ${name}Digest binary(32) NOT NULL,
         ${name}Seal varchar(80) CHARACTER SET ascii COLLATE ascii_bin NULL`;
    await queryRunner.query(
      `CREATE TABLE journal_chain (
         id tinyint NOT NULL PRIMARY KEY,
         ${point("base")},
         ${point("head")},
         claim uuid NULL,
         claimedUntil datetime(3) NULL
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `INSERT INTO journal_chain (id, basePosition, baseDigest, headPosition, headDigest)
       VALUES (1, 0, REPEAT(CHAR(0), 32), 0, REPEAT(CHAR(0), 32))`,
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("DROP TABLE journal_chain");
    await queryRunner.query(
      "ALTER TABLE journal_entry DROP KEY journal_entry_position, DROP COLUMN seal, DROP COLUMN digest, DROP COLUMN position",
    );
  }
}
