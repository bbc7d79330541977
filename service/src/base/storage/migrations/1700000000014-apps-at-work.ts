import type { MigrationInterface, QueryRunner } from "typeorm";

/** What an app's server may do besides asking who is there. */
export class AppsAtWork1700000000014 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("ALTER TABLE app ADD COLUMN rights json NOT NULL DEFAULT '[]'");
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("ALTER TABLE app DROP COLUMN rights");
  }
}
