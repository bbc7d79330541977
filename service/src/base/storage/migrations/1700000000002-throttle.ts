import type { MigrationInterface, QueryRunner } from "typeorm";

/** Counts of failures, and the devices that accounts are known to use. */
export class Throttle1700000000002 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `CREATE TABLE throttle_count (
         id binary(32) NOT NULL PRIMARY KEY,
         kind varchar(24) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         subject varchar(49) NULL,
         failures int NOT NULL,
         waitUntil datetime(3) NOT NULL,
         windowBeganAt datetime(3) NOT NULL,
         changedAt datetime(3) NOT NULL,
         KEY throttle_count_changed (kind, changedAt)
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `CREATE TABLE known_device (
         accountId uuid NOT NULL,
         markHash binary(32) NOT NULL,
         createdAt datetime(3) NOT NULL,
         lastUsedAt datetime(3) NOT NULL,
         PRIMARY KEY (accountId, markHash),
         CONSTRAINT known_device_account FOREIGN KEY (accountId) REFERENCES account (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("DROP TABLE known_device");
    await queryRunner.query("DROP TABLE throttle_count");
  }
}
