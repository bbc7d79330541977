import type { MigrationInterface, QueryRunner } from "typeorm";

/** Links that were asked for are written down before the answer. */
export class AskedMails1700000000017 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `CREATE TABLE asked_mail (
         id uuid NOT NULL PRIMARY KEY,
         createdAt datetime(3) NOT NULL,
         sealed text CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         state varchar(12) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         tries int NOT NULL DEFAULT 0,
         nextTryAt datetime(3) NULL,
         claim uuid NULL,
         claimedUntil datetime(3) NULL,
         lastTryAt datetime(3) NULL,
         lastAnswer varchar(190) NULL,
         KEY asked_mail_due (state, nextTryAt),
         KEY asked_mail_claim (claim)
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("DROP TABLE asked_mail");
  }
}
