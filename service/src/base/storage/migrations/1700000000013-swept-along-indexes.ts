import type { MigrationInterface, QueryRunner } from "typeorm";

/** What is swept is found along an index, however large the table has grown. */
export class SweptAlongIndexes1700000000013 implements MigrationInterface {
  async up(queryRunner: QueryRunner): Promise<void> {
    for (const [table, key, columns] of KEYS)
      await queryRunner.query(`ALTER TABLE ${table} ADD KEY ${key} (${columns})`);
  }

  async down(queryRunner: QueryRunner): Promise<void> {
    for (const [table, key] of KEYS) await queryRunner.query(`ALTER TABLE ${table} DROP KEY ${key}`);
  }
}

const KEYS = [
  ["mail", "mail_created", "createdAt"],
  ["delivery", "delivery_created", "state, createdAt"],
  ["authenticator", "authenticator_unconfirmed", "activatedAt, expiresAt"],
  ["known_device", "known_device_used", "lastUsedAt"],
  ["app_question", "app_question_day", "day"],
] as const;
