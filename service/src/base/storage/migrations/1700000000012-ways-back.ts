import type { MigrationInterface, QueryRunner } from "typeorm";

/**
 * What was removed is kept for a while, so that its owner can have it back; an account remembers who made it, until when
 * its first password is enough, whether a mailed proof is wanted, and when its rows go.
 */
export class WaysBack1700000000012 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `ALTER TABLE account
         ADD COLUMN isOpenlyRegistered tinyint NOT NULL DEFAULT 1,
         ADD COLUMN isAddressCorrected tinyint NOT NULL DEFAULT 0,
         ADD COLUMN firstPasswordUntil datetime(3) NULL,
         ADD COLUMN wantsMailedProof tinyint NOT NULL DEFAULT 0,
         ADD COLUMN eraseAt datetime(3) NULL,
         ADD KEY account_erase_at (eraseAt)`,
    );
    await queryRunner.query(
      `ALTER TABLE authenticator ADD COLUMN removedAt datetime(3) NULL, ADD KEY authenticator_removed (removedAt)`,
    );
    await queryRunner.query(
      `ALTER TABLE recovery_code ADD COLUMN removedAt datetime(3) NULL, ADD KEY recovery_code_removed (removedAt)`,
    );
    await queryRunner.query(`ALTER TABLE journal_entry MODIFY COLUMN reason varchar(200) NULL`);
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `UPDATE journal_entry SET reason = LEFT(reason, 60) WHERE CHAR_LENGTH(reason) > 60`,
    );
    await queryRunner.query(`ALTER TABLE journal_entry MODIFY COLUMN reason varchar(60) NULL`);
    await queryRunner.query(`DELETE FROM recovery_code WHERE removedAt IS NOT NULL`);
    await queryRunner.query(
      `ALTER TABLE recovery_code DROP KEY recovery_code_removed, DROP COLUMN removedAt`,
    );
    await queryRunner.query(`DELETE FROM authenticator WHERE removedAt IS NOT NULL`);
    await queryRunner.query(
      `ALTER TABLE authenticator DROP KEY authenticator_removed, DROP COLUMN removedAt`,
    );
    await queryRunner.query(`DELETE FROM account WHERE state = 'closed'`);
    await queryRunner.query(
      `ALTER TABLE account DROP KEY account_erase_at, DROP COLUMN isOpenlyRegistered, DROP COLUMN isAddressCorrected, DROP COLUMN firstPasswordUntil,
         DROP COLUMN wantsMailedProof, DROP COLUMN eraseAt`,
    );
  }
}
