import type { MigrationInterface, QueryRunner } from "typeorm";

/** Pages of an app with forms of its own to which mailed links lead. */
export class LinkAddresses1700000000024 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("ALTER TABLE app ADD COLUMN linkAddresses json NOT NULL DEFAULT '{}'");
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("ALTER TABLE app DROP COLUMN linkAddresses");
  }
}
