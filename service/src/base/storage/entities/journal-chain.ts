import { EntitySchema } from "typeorm";

/** The one row about the journal's chain: from where to where it goes, and which instance chains. */
export interface JournalChainRow {
  id: number;
  /** The last entry that has had its time: the chain begins behind it. Large numbers come as text. */
  basePosition: string;
  baseDigest: Buffer;
  /** `null` where nothing has gone yet. */
  baseSeal: string | null;
  headPosition: string;
  headDigest: Buffer;
  /** `null` where nothing is chained yet. */
  headSeal: string | null;
  claim: string | null;
  /** By the database's own clock. */
  claimedUntil: Date | null;
}

const point = (name: "base" | "head") => ({
  [`${name}Position`]: { type: "bigint" as const },
  [`${name}Digest`]: { type: "binary" as const, length: 32 },
  [`${name}Seal`]: {
    type: "varchar" as const,
    length: 80,
    charset: "ascii",
    collation: "ascii_bin",
    nullable: true,
  },
});

export const JournalChainEntity = new EntitySchema<JournalChainRow>({
  name: "journal_chain",
  columns: {
    id: { type: "tinyint", primary: true },
    ...point("base"),
    ...point("head"),
    claim: { type: "uuid", nullable: true },
    claimedUntil: { type: "datetime", precision: 3, nullable: true },
  },
});
