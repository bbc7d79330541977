import type { MigrationInterface, QueryRunner } from "typeorm";

/** Accounts, password records, sessions, apps with their codes and check tokens, the journal. */
export class FirstTables1700000000001 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    for (const statement of TABLES) await queryRunner.query(statement);
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    for (const table of [
      "moved_clock",
      "journal_entry",
      "check_token",
      "authorization_code",
      "app_key",
      "app",
      "session",
      "password_record",
      "account",
    ]) {
      await queryRunner.query(`DROP TABLE \`${table}\``);
    }
  }
}

const TABLES = [
  `CREATE TABLE account (
     id uuid NOT NULL PRIMARY KEY,
     reference varchar(190) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL,
     email varchar(254) NULL,
     emailKey varchar(254) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL,
     emailVerifiedAt datetime(3) NULL,
     username varchar(80) NULL,
     usernameKey varchar(80) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL,
     displayName varchar(80) NULL,
     state varchar(12) NOT NULL,
     labels json NOT NULL,
     createdAt datetime(3) NOT NULL,
     UNIQUE KEY account_reference (reference),
     UNIQUE KEY account_email (emailKey),
     UNIQUE KEY account_username (usernameKey)
   )`,
  `CREATE TABLE password_record (
     accountId uuid NOT NULL PRIMARY KEY,
     record varchar(512) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
     setAt datetime(3) NOT NULL,
     madeAt datetime(3) NOT NULL,
     CONSTRAINT password_record_account FOREIGN KEY (accountId) REFERENCES account (id) ON DELETE CASCADE ON UPDATE NO ACTION
   )`,
  `CREATE TABLE session (
     id uuid NOT NULL PRIMARY KEY,
     tokenHash binary(32) NOT NULL,
     accountId uuid NOT NULL,
     kind varchar(12) NOT NULL,
     aal tinyint NOT NULL,
     amr json NOT NULL,
     authTime datetime(3) NOT NULL,
     createdAt datetime(3) NOT NULL,
     lastSeenAt datetime(3) NOT NULL,
     idleEndsAt datetime(3) NOT NULL,
     endsAt datetime(3) NOT NULL,
     endedAt datetime(3) NULL,
     endReason varchar(40) NULL,
     userAgent varchar(300) NULL,
     network varchar(49) NULL,
     UNIQUE KEY session_token (tokenHash),
     KEY session_of_account (accountId, id),
     CONSTRAINT session_account FOREIGN KEY (accountId) REFERENCES account (id) ON DELETE CASCADE ON UPDATE NO ACTION
   )`,
  `CREATE TABLE app (
     id uuid NOT NULL PRIMARY KEY,
     clientId varchar(63) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
     name varchar(80) NOT NULL,
     redirectUris json NOT NULL,
     signedOutUris json NOT NULL,
     createdAt datetime(3) NOT NULL,
     UNIQUE KEY app_client_id (clientId)
   )`,
  `CREATE TABLE app_key (
     id uuid NOT NULL PRIMARY KEY,
     appId uuid NOT NULL,
     keyHash binary(32) NOT NULL,
     createdAt datetime(3) NOT NULL,
     lastUsedAt datetime(3) NULL,
     UNIQUE KEY app_key_hash (keyHash),
     KEY app_key_of_app (appId),
     CONSTRAINT app_key_app FOREIGN KEY (appId) REFERENCES app (id) ON DELETE CASCADE ON UPDATE NO ACTION
   )`,
  `CREATE TABLE authorization_code (
     codeHash binary(32) NOT NULL PRIMARY KEY,
     appId uuid NOT NULL,
     sessionId uuid NOT NULL,
     redirectUri varchar(500) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
     codeChallenge char(43) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
     createdAt datetime(3) NOT NULL,
     expiresAt datetime(3) NOT NULL,
     spentAt datetime(3) NULL,
     KEY authorization_code_expiry (expiresAt),
     CONSTRAINT authorization_code_app FOREIGN KEY (appId) REFERENCES app (id) ON DELETE CASCADE ON UPDATE NO ACTION,
     CONSTRAINT authorization_code_session FOREIGN KEY (sessionId) REFERENCES session (id) ON DELETE CASCADE ON UPDATE NO ACTION
   )`,
  `CREATE TABLE check_token (
     tokenHash binary(32) NOT NULL PRIMARY KEY,
     codeHash binary(32) NOT NULL,
     appId uuid NOT NULL,
     sessionId uuid NOT NULL,
     createdAt datetime(3) NOT NULL,
     endedAt datetime(3) NULL,
     UNIQUE KEY check_token_code (codeHash),
     KEY check_token_of_session (sessionId),
     KEY check_token_of_app (appId),
     CONSTRAINT check_token_app FOREIGN KEY (appId) REFERENCES app (id) ON DELETE CASCADE ON UPDATE NO ACTION,
     CONSTRAINT check_token_session FOREIGN KEY (sessionId) REFERENCES session (id) ON DELETE CASCADE ON UPDATE NO ACTION
   )`,
  `CREATE TABLE journal_entry (
     id uuid NOT NULL PRIMARY KEY,
     at datetime(3) NOT NULL,
     kind varchar(60) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
     outcome varchar(12) NOT NULL,
     reason varchar(60) NULL,
     accountId uuid NULL,
     actorId uuid NULL,
     appId uuid NULL,
     sessionId uuid NULL,
     network varchar(49) NULL,
     requestId varchar(60) NULL,
     KEY journal_entry_of_account (accountId, id),
     KEY journal_entry_of_request (requestId)
   )`,
  `CREATE TABLE moved_clock (
     id tinyint NOT NULL PRIMARY KEY,
     milliseconds bigint NOT NULL
   )`,
].map((statement) =>
  `${statement} ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`.replaceAll(/\s+/g, " "),
);
