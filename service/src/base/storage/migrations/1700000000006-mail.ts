import type { MigrationInterface, QueryRunner } from "typeorm";

/** Mails, their bodies sealed, and the links that stand in them. */
export class Mail1700000000006 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `CREATE TABLE mail (
         id uuid NOT NULL PRIMARY KEY,
         accountId uuid NULL,
         toAddress varchar(254) NOT NULL,
         subject varchar(190) NOT NULL,
         sealedBody mediumtext CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         state varchar(12) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         createdAt datetime(3) NOT NULL,
         KEY mail_of_account (accountId),
         CONSTRAINT mail_account FOREIGN KEY (accountId) REFERENCES account (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
    await queryRunner.query(
      `CREATE TABLE mail_link (
         id uuid NOT NULL PRIMARY KEY,
         secretHash binary(32) NOT NULL,
         purpose varchar(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         accountId uuid NOT NULL,
         emailKey varchar(254) NOT NULL,
         browserHash binary(32) NULL,
         createdAt datetime(3) NOT NULL,
         expiresAt datetime(3) NOT NULL,
         spentAt datetime(3) NULL,
         supersededAt datetime(3) NULL,
         UNIQUE KEY mail_link_secret (secretHash),
         KEY mail_link_of_account (accountId, purpose),
         KEY mail_link_expires (expiresAt),
         CONSTRAINT mail_link_account FOREIGN KEY (accountId) REFERENCES account (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("DROP TABLE mail_link");
    await queryRunner.query("DROP TABLE mail");
  }
}
