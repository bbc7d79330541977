import type { MigrationInterface, QueryRunner } from "typeorm";

/**
 * References are an application's own ids: "bunk-7" and "bunk-7 " are two, so blanks at the end count in comparisons. And the counts of an
 * intake are called as the contract calls them.
 */
export class ExactReferences1700000000021 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      "ALTER TABLE account MODIFY COLUMN reference varchar(190) CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin NULL",
    );
    await queryRunner.query(
      `ALTER TABLE intake
         CHANGE COLUMN rightFirst firstSignIns int NOT NULL DEFAULT 0,
         CHANGE COLUMN wrongTries failedAttempts int NOT NULL DEFAULT 0`,
    );
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    await queryRunner.query(
      `ALTER TABLE intake
         CHANGE COLUMN firstSignIns rightFirst int NOT NULL DEFAULT 0,
         CHANGE COLUMN failedAttempts wrongTries int NOT NULL DEFAULT 0`,
    );
    await queryRunner.query(
      "ALTER TABLE account MODIFY COLUMN reference varchar(190) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL",
    );
  }
}
