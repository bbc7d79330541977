import type { MigrationInterface, QueryRunner } from "typeorm";

/** The scheme of each record beside it, how many there were each day, and what is asked of a person at the next sign-in. */
export class Schemes1700000000003 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      "ALTER TABLE password_record ADD scheme varchar(190) CHARACTER SET ascii COLLATE ascii_bin NULL AFTER record",
    );
    // A record's scheme is all of it before its salt and its hash.
    await queryRunner.query(
      "UPDATE password_record SET scheme = LEFT(record, CHAR_LENGTH(record) - CHAR_LENGTH(SUBSTRING_INDEX(record, '$', -2)) - 1)",
    );
    await queryRunner.query(
      `ALTER TABLE password_record
         MODIFY scheme varchar(190) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         ADD KEY password_record_scheme (scheme, accountId)`,
    );
    await queryRunner.query(
      `CREATE TABLE scheme_count (
         day date NOT NULL,
         scheme varchar(190) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         records int NOT NULL,
         PRIMARY KEY (day, scheme)
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `ALTER TABLE account
         ADD mustChangePassword tinyint NOT NULL DEFAULT 0,
         ADD lastSignInAt datetime(3) NULL`,
    );
    await queryRunner.query(
      "UPDATE account SET lastSignInAt = (SELECT MAX(session.createdAt) FROM session WHERE session.accountId = account.id)",
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("ALTER TABLE account DROP mustChangePassword, DROP lastSignInAt");
    await queryRunner.query("DROP TABLE scheme_count");
    await queryRunner.query("ALTER TABLE password_record DROP KEY password_record_scheme, DROP scheme");
  }
}
