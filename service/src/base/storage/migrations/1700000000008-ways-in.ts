import type { MigrationInterface, QueryRunner } from "typeorm";

/** Access keys, apps with forms of their own, what apps asked, and the sweep of ended sessions. */
export class WaysIn1700000000008 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `CREATE TABLE access_key (
         id uuid NOT NULL PRIMARY KEY,
         accountId uuid NOT NULL,
         keyHash binary(32) NOT NULL,
         name varchar(80) NOT NULL,
         labels json NULL,
         createdAt datetime(3) NOT NULL,
         expiresAt datetime(3) NULL,
         lastUsedAt datetime(3) NULL,
         UNIQUE KEY access_key_hash (keyHash),
         KEY access_key_of_account (accountId, id),
         CONSTRAINT access_key_account FOREIGN KEY (accountId) REFERENCES account (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `CREATE TABLE app_question (
         appId uuid NOT NULL,
         day date NOT NULL,
         kind varchar(20) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         count int NOT NULL,
         PRIMARY KEY (appId, day, kind),
         CONSTRAINT app_question_app FOREIGN KEY (appId) REFERENCES app (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `ALTER TABLE app
         ADD COLUMN ownForms tinyint NOT NULL DEFAULT 0,
         ADD COLUMN basicPasswords tinyint NOT NULL DEFAULT 0`,
    );
    await queryRunner.query(
      `ALTER TABLE session
         ADD COLUMN appId uuid NULL,
         ADD KEY session_ended (endedAt),
         ADD KEY session_ends (endsAt)`,
    );
    await queryRunner.query("ALTER TABLE sign_in ADD COLUMN appId uuid NULL");
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("ALTER TABLE sign_in DROP COLUMN appId");
    await queryRunner.query(
      "ALTER TABLE session DROP KEY session_ended, DROP KEY session_ends, DROP COLUMN appId",
    );
    await queryRunner.query("ALTER TABLE app DROP COLUMN ownForms, DROP COLUMN basicPasswords");
    await queryRunner.query("DROP TABLE app_question");
    await queryRunner.query("DROP TABLE access_key");
  }
}
