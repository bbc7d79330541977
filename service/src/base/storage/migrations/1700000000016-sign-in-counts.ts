import type { MigrationInterface, QueryRunner } from "typeorm";

/** How people sign in, day by day. */
export class SignInCounts1700000000016 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `CREATE TABLE sign_in_count (
         day date NOT NULL,
         way varchar(100) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
         signIns int NOT NULL,
         PRIMARY KEY (day, way)
       ) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_bin`,
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query("DROP TABLE sign_in_count");
  }
}
