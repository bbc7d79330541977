import type { MigrationInterface, QueryRunner } from "typeorm";

/** A change of address is bound to the session that asked; undoing one wants something from before; what was given up is held. */
export class GuardedChangesOfAddress1700000000011 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `ALTER TABLE mail_link
         ADD COLUMN sessionId uuid NULL,
         ADD COLUMN codeHash binary(32) NULL,
         ADD COLUMN wrongCodes tinyint NOT NULL DEFAULT 0,
         ADD COLUMN formerRecord varchar(512) CHARACTER SET ascii COLLATE ascii_bin NULL,
         ADD COLUMN formerDevices json NULL,
         ADD KEY mail_link_of_session (sessionId)`,
    );
    await queryRunner.query(
      `CREATE TABLE held_address (
         emailKey varchar(254) NOT NULL PRIMARY KEY,
         accountId uuid NOT NULL,
         heldUntil datetime(3) NOT NULL,
         KEY held_address_until (heldUntil),
         CONSTRAINT held_address_account FOREIGN KEY (accountId) REFERENCES account (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("DROP TABLE held_address");
    await queryRunner.query(
      `ALTER TABLE mail_link DROP KEY mail_link_of_session, DROP COLUMN sessionId, DROP COLUMN codeHash,
         DROP COLUMN wrongCodes, DROP COLUMN formerRecord, DROP COLUMN formerDevices`,
    );
  }
}
