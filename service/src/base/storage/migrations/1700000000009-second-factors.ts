import type { MigrationInterface, QueryRunner } from "typeorm";

/** Authenticator apps, recovery codes, and how long the second level of a session lasts. */
export class SecondFactors1700000000009 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `CREATE TABLE authenticator (
         id uuid NOT NULL PRIMARY KEY,
         accountId uuid NOT NULL,
         name varchar(80) NOT NULL,
         sealedSecret varchar(300) NOT NULL,
         algorithm varchar(10) NOT NULL,
         digits tinyint NOT NULL,
         period tinyint NOT NULL,
         lastStep int NULL,
         createdAt datetime(3) NOT NULL,
         expiresAt datetime(3) NOT NULL,
         activatedAt datetime(3) NULL,
         lastUsedAt datetime(3) NULL,
         KEY authenticator_of_account (accountId, id),
         CONSTRAINT authenticator_account FOREIGN KEY (accountId) REFERENCES account (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `CREATE TABLE recovery_code (
         accountId uuid NOT NULL,
         codeHash binary(32) NOT NULL,
         keyId varchar(32) NOT NULL,
         createdAt datetime(3) NOT NULL,
         usedAt datetime(3) NULL,
         PRIMARY KEY (accountId, codeHash),
         CONSTRAINT recovery_code_account FOREIGN KEY (accountId) REFERENCES account (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `ALTER TABLE session
         ADD COLUMN levelIdleEndsAt datetime(3) NULL,
         ADD COLUMN levelEndsAt datetime(3) NULL,
         ADD COLUMN firstProofAt datetime(3) NULL`,
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      "ALTER TABLE session DROP COLUMN levelIdleEndsAt, DROP COLUMN levelEndsAt, DROP COLUMN firstProofAt",
    );
    await queryRunner.query("DROP TABLE recovery_code");
    await queryRunner.query("DROP TABLE authenticator");
  }
}
