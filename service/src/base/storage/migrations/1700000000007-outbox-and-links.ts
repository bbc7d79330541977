import type { MigrationInterface, QueryRunner } from "typeorm";

/** The outbox, registrations that wait outside the accounts, and links for every purpose. */
export class OutboxAndLinks1700000000007 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `CREATE TABLE registration (
         id uuid NOT NULL PRIMARY KEY,
         email varchar(254) NOT NULL,
         emailKey varchar(254) NOT NULL,
         username varchar(80) NULL,
         usernameKey varchar(80) NULL,
         displayName varchar(80) NULL,
         language char(2) CHARACTER SET ascii COLLATE ascii_bin NULL,
         record text NULL,
         filledIn json NOT NULL,
         browserHash binary(32) NULL,
         createdAt datetime(3) NOT NULL,
         expiresAt datetime(3) NOT NULL,
         KEY registration_email (emailKey),
         KEY registration_expires (expiresAt)
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `ALTER TABLE account
         ADD COLUMN language char(2) CHARACTER SET ascii COLLATE ascii_bin NULL,
         ADD COLUMN registrationBrowserHash binary(32) NULL`,
    );
    await queryRunner.query(
      `ALTER TABLE mail
         MODIFY COLUMN sealedBody mediumtext CHARACTER SET ascii COLLATE ascii_bin NULL,
         ADD COLUMN template varchar(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT 'reset',
         ADD COLUMN language char(2) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT 'en',
         ADD COLUMN heldBecause varchar(30) CHARACTER SET ascii COLLATE ascii_bin NULL,
         ADD COLUMN expiresAt datetime(3) NULL,
         ADD COLUMN tries int NOT NULL DEFAULT 0,
         ADD COLUMN nextTryAt datetime(3) NULL,
         ADD COLUMN claim uuid NULL,
         ADD COLUMN claimedUntil datetime(3) NULL,
         ADD COLUMN lastTryAt datetime(3) NULL,
         ADD COLUMN lastAnswer varchar(190) NULL,
         ADD KEY mail_due (state, nextTryAt),
         ADD KEY mail_claim (claim)`,
    );
    await queryRunner.query(
      `ALTER TABLE mail_link
         MODIFY COLUMN accountId uuid NULL,
         ADD COLUMN registrationId uuid NULL,
         ADD COLUMN signInId uuid NULL,
         ADD COLUMN newEmail varchar(254) NULL,
         ADD KEY mail_link_of_registration (registrationId),
         ADD CONSTRAINT mail_link_registration FOREIGN KEY (registrationId) REFERENCES registration (id) ON DELETE CASCADE ON UPDATE NO ACTION`,
    );
    await queryRunner.query(
      `ALTER TABLE sign_in
         MODIFY COLUMN accountId uuid NULL,
         ADD COLUMN registrationId uuid NULL,
         ADD COLUMN mailCodeHash binary(32) NULL,
         ADD COLUMN wrongProofs int NOT NULL DEFAULT 0,
         ADD COLUMN returnTo varchar(2000) NULL,
         ADD COLUMN userAgent varchar(300) NULL,
         ADD COLUMN network varchar(49) NULL`,
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("DELETE FROM sign_in WHERE accountId IS NULL");
    await queryRunner.query(
      `ALTER TABLE sign_in DROP COLUMN registrationId, DROP COLUMN mailCodeHash, DROP COLUMN wrongProofs,
         DROP COLUMN returnTo, DROP COLUMN userAgent, DROP COLUMN network, MODIFY COLUMN accountId uuid NOT NULL`,
    );
    await queryRunner.query("DELETE FROM mail_link WHERE accountId IS NULL");
    await queryRunner.query(
      `ALTER TABLE mail_link DROP FOREIGN KEY mail_link_registration, DROP KEY mail_link_of_registration,
         DROP COLUMN registrationId, DROP COLUMN signInId, DROP COLUMN newEmail, MODIFY COLUMN accountId uuid NOT NULL`,
    );
    await queryRunner.query("DELETE FROM mail WHERE sealedBody IS NULL");
    await queryRunner.query(
      `ALTER TABLE mail DROP KEY mail_due, DROP KEY mail_claim, DROP COLUMN template, DROP COLUMN language,
         DROP COLUMN heldBecause, DROP COLUMN expiresAt, DROP COLUMN tries, DROP COLUMN nextTryAt, DROP COLUMN claim,
         DROP COLUMN claimedUntil, DROP COLUMN lastTryAt, DROP COLUMN lastAnswer,
         MODIFY COLUMN sealedBody mediumtext CHARACTER SET ascii COLLATE ascii_bin NOT NULL`,
    );
    await queryRunner.query("ALTER TABLE account DROP COLUMN language, DROP COLUMN registrationBrowserHash");
    await queryRunner.query("DROP TABLE registration");
  }
}
