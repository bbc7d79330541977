import type { MigrationInterface, QueryRunner } from "typeorm";

/** Users tables of other systems taken in: each run, its recipes, what came with the passwords, and the rows that were refused. */
export class MovingIn1700000000018 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `CREATE TABLE intake (
         id uuid NOT NULL PRIMARY KEY,
         source varchar(500) NOT NULL,
         plan text NOT NULL,
         fingerprint binary(32) NOT NULL,
         state varchar(12) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         startedAt datetime(3) NOT NULL,
         endedAt datetime(3) NULL,
         position bigint NOT NULL,
         taken int NOT NULL,
         filled int NOT NULL,
         refused int NOT NULL,
         rightFirst int NOT NULL DEFAULT 0,
         wrongTries int NOT NULL DEFAULT 0,
         claim uuid NULL,
         claimedUntil datetime(3) NULL,
         KEY intake_fingerprint (fingerprint, state)
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `CREATE TABLE recipe (
         id varchar(32) CHARACTER SET ascii COLLATE ascii_bin NOT NULL PRIMARY KEY,
         intakeId uuid NOT NULL,
         text varchar(2000) NOT NULL,
         isProven tinyint NOT NULL,
         changedAt datetime(3) NOT NULL,
         KEY recipe_of_intake (intakeId),
         CONSTRAINT recipe_intake FOREIGN KEY (intakeId) REFERENCES intake (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `CREATE TABLE imported_password (
         accountId uuid NOT NULL PRIMARY KEY,
         intakeId uuid NOT NULL,
         recipe varchar(32) CHARACTER SET ascii COLLATE ascii_bin NULL,
         salt varbinary(4096) NULL,
         isSaltText tinyint NOT NULL DEFAULT 0,
         username varchar(255) NULL,
         email varchar(320) NULL,
         replacedAt datetime(3) NULL,
         KEY imported_password_of_intake (intakeId, replacedAt),
         KEY imported_password_replaced (replacedAt),
         CONSTRAINT imported_password_account FOREIGN KEY (accountId) REFERENCES account (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `CREATE TABLE intake_refusal (
         intakeId uuid NOT NULL,
         line bigint NOT NULL,
         member varchar(40) NOT NULL,
         reason varchar(300) NOT NULL,
         \`values\` json NOT NULL,
         PRIMARY KEY (intakeId, line),
         CONSTRAINT intake_refusal_intake FOREIGN KEY (intakeId) REFERENCES intake (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("DROP TABLE intake_refusal");
    await queryRunner.query("DROP TABLE imported_password");
    await queryRunner.query("DROP TABLE recipe");
    await queryRunner.query("DROP TABLE intake");
  }
}
