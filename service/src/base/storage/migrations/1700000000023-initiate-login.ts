import type { MigrationInterface, QueryRunner } from "typeorm";

/** Where a sign-in can be begun at an application; and which authorization requests were answered and their codes exchanged. */
export class InitiateLogin1700000000023 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("ALTER TABLE app ADD COLUMN initiateLoginUri varchar(500) NULL");
    await queryRunner.query(
      "CREATE INDEX authorization_code_challenge ON authorization_code (codeChallenge)",
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("DROP INDEX authorization_code_challenge ON authorization_code");
    await queryRunner.query("ALTER TABLE app DROP COLUMN initiateLoginUri");
  }
}
