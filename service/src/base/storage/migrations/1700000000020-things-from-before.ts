import type { MigrationInterface, QueryRunner } from "typeorm";

/**
 * What proves that an owner was there before: passwords are kept for a while after they were replaced, and passwords, factors, browsers and
 * sessions remember since when what was shown for them counts. Undo links remember address and username; former usernames are held.
 */
export class ThingsFromBefore1700000000020 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `ALTER TABLE account
         ADD COLUMN firstProvedAt datetime(3) NULL,
         ADD COLUMN emailSetAt datetime(3) NULL,
         ADD COLUMN usernameSetAt datetime(3) NULL,
         ADD COLUMN suspendedBy varchar(12) CHARACTER SET ascii COLLATE ascii_bin NULL`,
    );
    await queryRunner.query("UPDATE account SET firstProvedAt = emailVerifiedAt");
    const grounds = "ADD COLUMN provedSince datetime(3) NULL, ADD COLUMN standsSince datetime(3) NULL";
    await queryRunner.query(
      `ALTER TABLE password_record ${grounds}, ADD COLUMN setInBrowser binary(32) NULL`,
    );
    await queryRunner.query(`ALTER TABLE session ${grounds}`);
    await queryRunner.query(`ALTER TABLE sign_in ${grounds}`);
    for (const table of ["authenticator", "passkey", "recovery_code"])
      await queryRunner.query(`ALTER TABLE ${table} ADD COLUMN provedSince datetime(3) NULL`);
    // What was confirmed by a code was added by whoever was in the account; what an import brought counted at once.
    await queryRunner.query(
      "UPDATE authenticator SET provedSince = activatedAt WHERE activatedAt > createdAt",
    );
    await queryRunner.query(
      "UPDATE passkey p JOIN account a ON a.id = p.accountId SET p.provedSince = p.createdAt WHERE p.createdAt > a.createdAt",
    );
    await queryRunner.query(
      `UPDATE recovery_code c JOIN authenticator t ON t.accountId = c.accountId AND t.activatedAt = c.createdAt
       SET c.provedSince = c.createdAt WHERE t.provedSince IS NOT NULL`,
    );
    await queryRunner.query(
      `ALTER TABLE known_device
         ADD COLUMN provedSince datetime(3) NULL,
         ADD COLUMN forgottenAt datetime(3) NULL,
         ADD COLUMN endedAt datetime(3) NULL,
         ADD KEY known_device_forgotten (forgottenAt)`,
    );
    await queryRunner.query("UPDATE known_device SET provedSince = createdAt");
    await queryRunner.query(
      `CREATE TABLE former_password (
         id uuid NOT NULL PRIMARY KEY,
         accountId uuid NOT NULL,
         record varchar(512) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         setAt datetime(3) NOT NULL,
         replacedAt datetime(3) NOT NULL,
         provedSince datetime(3) NULL,
         standsSince datetime(3) NULL,
         setInBrowser binary(32) NULL,
         KEY former_password_of_account (accountId, replacedAt),
         KEY former_password_replaced (replacedAt),
         CONSTRAINT former_password_account FOREIGN KEY (accountId) REFERENCES account (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `CREATE TABLE held_username (
         usernameKey varchar(80) NOT NULL PRIMARY KEY,
         accountId uuid NOT NULL,
         heldUntil datetime(3) NOT NULL,
         KEY held_username_until (heldUntil),
         CONSTRAINT held_username_account FOREIGN KEY (accountId) REFERENCES account (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `ALTER TABLE mail_link
         ADD COLUMN formerEmail varchar(254) NULL,
         ADD COLUMN formerUsername varchar(80) NULL`,
    );
    await queryRunner.query("ALTER TABLE access_key ADD COLUMN network varchar(49) NULL");
    await queryRunner.query("ALTER TABLE imported_password ADD COLUMN hashBytes smallint NULL");
    await this.#keepWhatLinksRemember(queryRunner);
    await queryRunner.query("ALTER TABLE mail_link DROP COLUMN formerRecord, DROP COLUMN formerDevices");
  }

  /** Links that are under way keep the password and the browsers that stood before their change. */
  async #keepWhatLinksRemember(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `UPDATE mail_link l JOIN account a ON a.id = l.accountId
       SET l.formerEmail = IF(l.purpose = 'undo-change', l.newEmail, a.email), l.formerUsername = a.username
       WHERE l.purpose LIKE 'undo-%'`,
    );
    const stoodSince = "l.createdAt - INTERVAL 8 DAY";
    await queryRunner.query(
      `INSERT INTO former_password (id, accountId, record, setAt, replacedAt, provedSince)
       SELECT UUID(), l.accountId, l.formerRecord, MIN(${stoodSince}), MAX(l.createdAt), MIN(${stoodSince})
       FROM mail_link l JOIN password_record p ON p.accountId = l.accountId
       WHERE l.formerRecord IS NOT NULL AND p.setAt > l.createdAt GROUP BY l.accountId, l.formerRecord`,
    );
    await queryRunner.query(
      `INSERT IGNORE INTO known_device (accountId, markHash, createdAt, lastUsedAt, provedSince, forgottenAt)
       SELECT l.accountId, FROM_BASE64(CONCAT(REPLACE(REPLACE(d.mark, '-', '+'), '_', '/'), '=')), ${stoodSince}, l.createdAt, ${stoodSince}, l.createdAt
       FROM mail_link l, JSON_TABLE(l.formerDevices, '$[*]' COLUMNS (mark varchar(64) PATH '$')) d
       WHERE l.formerDevices IS NOT NULL`,
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `ALTER TABLE mail_link
         ADD COLUMN formerRecord varchar(512) CHARACTER SET ascii COLLATE ascii_bin NULL,
         ADD COLUMN formerDevices json NULL,
         DROP COLUMN formerEmail, DROP COLUMN formerUsername`,
    );
    await queryRunner.query("ALTER TABLE imported_password DROP COLUMN hashBytes");
    await queryRunner.query("ALTER TABLE access_key DROP COLUMN network");
    await queryRunner.query("DROP TABLE held_username");
    await queryRunner.query("DROP TABLE former_password");
    await queryRunner.query("DELETE FROM known_device WHERE forgottenAt IS NOT NULL");
    await queryRunner.query(
      `ALTER TABLE known_device DROP KEY known_device_forgotten, DROP COLUMN provedSince, DROP COLUMN forgottenAt, DROP COLUMN endedAt`,
    );
    for (const table of ["authenticator", "passkey", "recovery_code"])
      await queryRunner.query(`ALTER TABLE ${table} DROP COLUMN provedSince`);
    for (const table of ["session", "sign_in"])
      await queryRunner.query(`ALTER TABLE ${table} DROP COLUMN provedSince, DROP COLUMN standsSince`);
    await queryRunner.query(
      "ALTER TABLE password_record DROP COLUMN provedSince, DROP COLUMN standsSince, DROP COLUMN setInBrowser",
    );
    await queryRunner.query(
      "ALTER TABLE account DROP COLUMN firstProvedAt, DROP COLUMN emailSetAt, DROP COLUMN usernameSetAt, DROP COLUMN suspendedBy",
    );
  }
}
