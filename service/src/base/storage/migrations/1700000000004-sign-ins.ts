import type { MigrationInterface, QueryRunner } from "typeorm";

/** Sign-ins in progress: some proof was shown, and something more is wanted. */
export class SignIns1700000000004 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `CREATE TABLE sign_in (
         id uuid NOT NULL PRIMARY KEY,
         tokenHash binary(32) NOT NULL,
         accountId uuid NOT NULL,
         kind varchar(12) NOT NULL,
         amr json NOT NULL,
         createdAt datetime(3) NOT NULL,
         expiresAt datetime(3) NOT NULL,
         endedAt datetime(3) NULL,
         UNIQUE KEY sign_in_token (tokenHash),
         KEY sign_in_of_account (accountId),
         KEY sign_in_expires (expiresAt),
         CONSTRAINT sign_in_account FOREIGN KEY (accountId) REFERENCES account (id) ON DELETE CASCADE ON UPDATE NO ACTION
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("DROP TABLE sign_in");
  }
}
