import type { MigrationInterface, QueryRunner } from "typeorm";

/** Notices to the application, written with their cause and sent until they arrive. */
export class Deliveries1700000000005 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `CREATE TABLE delivery (
         id uuid NOT NULL PRIMARY KEY,
         type varchar(60) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         accountId uuid NULL,
         body text NOT NULL,
         state varchar(12) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         tries int NOT NULL,
         createdAt datetime(3) NOT NULL,
         nextTryAt datetime(3) NOT NULL,
         claimedUntil datetime(3) NULL,
         lastTryAt datetime(3) NULL,
         lastAnswer varchar(190) NULL,
         KEY delivery_due (state, nextTryAt)
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("DROP TABLE delivery");
  }
}
