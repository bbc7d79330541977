import type { MigrationInterface, QueryRunner } from "typeorm";

/** References are an application's own ids: "bunk-7" and "bunk-7 " are two, so blanks at the end count in comparisons. */
export class ExactReferences1700000000021 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      "ALTER TABLE account MODIFY COLUMN reference varchar(190) CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin NULL",
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      "ALTER TABLE account MODIFY COLUMN reference varchar(190) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL",
    );
  }
}
