import type { MigrationInterface, QueryRunner } from "typeorm";

/** Where somebody was going who asked for a mail; and where people of an application are at home. */
export class WayHome1700000000022 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("ALTER TABLE mail_link ADD COLUMN returnTo varchar(2000) NULL");
    await queryRunner.query("ALTER TABLE app ADD COLUMN home varchar(500) NULL");
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("ALTER TABLE app DROP COLUMN home");
    await queryRunner.query("ALTER TABLE mail_link DROP COLUMN returnTo");
  }
}
