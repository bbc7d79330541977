import type { MigrationInterface, QueryRunner } from "typeorm";

/** Notices are claimed as mails are. */
export class ClaimedDeliveries1700000000010 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `ALTER TABLE delivery
         ADD COLUMN claim uuid NULL AFTER nextTryAt,
         MODIFY COLUMN nextTryAt datetime(3) NULL,
         MODIFY COLUMN tries int NOT NULL DEFAULT 0,
         ADD KEY delivery_claim (claim)`,
    );
    // Claims are counted by the database's clock from now on; whoever made these is not running.
    await queryRunner.query(
      "UPDATE mail SET claim = NULL, claimedUntil = NULL WHERE claimedUntil IS NOT NULL",
    );
    await queryRunner.query("UPDATE delivery SET claimedUntil = NULL WHERE claimedUntil IS NOT NULL");
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("UPDATE delivery SET nextTryAt = createdAt WHERE nextTryAt IS NULL");
    await queryRunner.query(
      "ALTER TABLE delivery DROP KEY delivery_claim, DROP COLUMN claim, MODIFY COLUMN nextTryAt datetime(3) NOT NULL, MODIFY COLUMN tries int NOT NULL",
    );
  }
}
