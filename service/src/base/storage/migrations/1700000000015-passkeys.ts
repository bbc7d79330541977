import type { MigrationInterface, QueryRunner } from "typeorm";

/**
 * Passkeys, the challenges that they answer, and the random handle by which an authenticator knows an account; how far the clock of an
 * authenticator app is off; passwords that are enough beside a second factor only.
 */
export class Passkeys1700000000015 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `CREATE TABLE passkey (
         id uuid NOT NULL PRIMARY KEY,
         accountId uuid NOT NULL,
         name varchar(80) NOT NULL,
         credentialId varbinary(1023) NOT NULL,
         publicKey varbinary(1100) NOT NULL,
         algorithm int NOT NULL,
         signCount int unsigned NOT NULL,
         userVerified tinyint NOT NULL,
         backupEligible tinyint NOT NULL,
         backedUp tinyint NOT NULL,
         aaguid binary(16) NOT NULL,
         transports json NOT NULL,
         attestation varchar(12) NOT NULL,
         relyingPartyId varchar(253) NOT NULL,
         createdAt datetime(3) NOT NULL,
         lastUsedAt datetime(3) NULL,
         removedAt datetime(3) NULL,
         UNIQUE KEY passkey_credential (credentialId),
         KEY passkey_of_account (accountId, id),
         KEY passkey_removed (removedAt),
         KEY passkey_relying_party (relyingPartyId),
         CONSTRAINT passkey_account FOREIGN KEY (accountId) REFERENCES account (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `CREATE TABLE passkey_challenge (
         id uuid NOT NULL PRIMARY KEY,
         challenge binary(32) NOT NULL,
         purpose varchar(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         accountId uuid NULL,
         signInId uuid NULL,
         browserHash binary(32) NULL,
         appId uuid NULL,
         userHandle binary(32) NULL,
         allowed json NULL,
         standsAlone tinyint NOT NULL,
         createdAt datetime(3) NOT NULL,
         expiresAt datetime(3) NOT NULL,
         spentAt datetime(3) NULL,
         KEY passkey_challenge_expires (expiresAt)
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      "ALTER TABLE account ADD COLUMN userHandle binary(32) NULL, ADD UNIQUE KEY account_user_handle (userHandle)",
    );
    await queryRunner.query(
      "ALTER TABLE registration ADD COLUMN passkey json NULL, ADD COLUMN isShort tinyint NOT NULL DEFAULT 0",
    );
    await queryRunner.query(
      "ALTER TABLE authenticator ADD COLUMN drift smallint NOT NULL DEFAULT 0, ADD COLUMN lastOffset smallint NULL, ADD COLUMN isShort tinyint NOT NULL DEFAULT 0",
    );
    await queryRunner.query("ALTER TABLE password_record ADD COLUMN isShort tinyint NOT NULL DEFAULT 0");
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("ALTER TABLE password_record DROP COLUMN isShort");
    await queryRunner.query(
      "ALTER TABLE authenticator DROP COLUMN drift, DROP COLUMN lastOffset, DROP COLUMN isShort",
    );
    await queryRunner.query("ALTER TABLE registration DROP COLUMN isShort, DROP COLUMN passkey");
    await queryRunner.query("ALTER TABLE account DROP KEY account_user_handle, DROP COLUMN userHandle");
    await queryRunner.query("DROP TABLE passkey_challenge");
    await queryRunner.query("DROP TABLE passkey");
  }
}
