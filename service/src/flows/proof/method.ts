/**
 * What a proof method is to the service: the module that knows one type of proof. Sign-in, reauthentication and freshness
 * go through the list in `index.ts` and know none of them by name.
 */
import type { NextProof, Proof } from "@lucchetto/contract";
import type { Grounds } from "@lucchetto/core";
import type { EntityManager } from "typeorm";
import type { ProblemReply } from "../../base/problem.ts";
import { NOBODYS } from "../../base/queue/places.ts";
import type { AccountFacts, SignInRow } from "../../base/storage/index.ts";
import type { RequestOrigin, ServiceContext } from "../../records/context.ts";
import type { ReservedTry } from "../../records/throttle/throttle.ts";
import { giveBackAfter } from "../../records/throttle/throttle.ts";

/** A submitted proof. `new-password` and `enrol-*` are excluded: they are requests, not proofs. */
export type ShownProof =
  | Exclude<NextProof, { type: "new-password" | "enrol-totp" | "enrol-passkey" }>
  | Omit<Extract<Proof, { type: "password" }>, "identifier">;
export type ProofType = ShownProof["type"];

/** Who shows it, and where. */
export interface Prover {
  /** `null` where a mail is waited for that nobody may get. */
  readonly accountId: string | null;
  readonly visit: RequestOrigin;
  /** The known-device mark that came along. */
  readonly mark: string | undefined;
  /** The sign-in in progress; `null` inside a session. */
  readonly pending: SignInRow | null;
}

/** A proof that was looked at and is right. */
export interface RightProof {
  /** RFC 8176 methods that this one adds, where they are not those of its type. */
  readonly amr?: readonly string[];
  /** How far back it goes as a proof that its owner was there. */
  readonly grounds: Grounds;
  /** Multi-factor by itself; no further proof is required. */
  readonly isWhole?: boolean;
  /** Spends it, in the transaction that honours it. @throws ProblemReply if another call was first. */
  spend(
    manager: EntityManager,
    about: { account: AccountFacts | null; visit: RequestOrigin; now: Date },
  ): Promise<void>;
}

/** Why a proof does not count, for the journal; whoever showed it is told as much as helps. */
interface ProofFault {
  readonly fault: string;
  /** How it is told, where it has a name of its own. */
  readonly reply?: ProblemReply;
}

/** The steps of a method, in the order in which they are taken. */
interface ProofSteps<Shown extends ShownProof, Read> {
  readonly type: Shown["type"];
  /** A first proof says who it is, a second one is shown beside it. */
  readonly part: "first" | "second";
  /** How it begins: `mail`: only after a mail was sent. */
  readonly begins: "shown" | "mail";
  /** Whether one of this type may prove both what somebody holds and who it is. */
  readonly mayBeWhole?: boolean;
  /** RFC 8176 methods that it adds. */
  readonly amr: readonly string[];
  /** The level that is reached with it. */
  readonly level: 1 | 2;
  /** Reads what was shown: what cannot be one is no try. @throws ProblemReply `invalid-fields`. */
  read(context: ServiceContext, prover: Prover, shown: Shown): Promise<Read> | Read;
  /** Counts the try before it is looked at. @throws ProblemReply `throttled`. */
  reserve?(context: ServiceContext, prover: Prover): Promise<ReservedTry>;
  /** Verifies the proof. @throws ProblemReply where a refusal has a code of its own. */
  look(
    context: ServiceContext,
    prover: Prover,
    read: Read,
    reserved: ReservedTry,
  ): Promise<RightProof | ProofFault>;
  /** The refusal of one that does not count. */
  refuse(fault: string): never;
}

/** A right proof, and the try that was reserved for it. */
export interface CheckedProof extends RightProof {
  readonly reserved: ReservedTry;
}

/** A method, its steps taken together. */
export interface ProofMethod extends Omit<
  ProofSteps<ShownProof, unknown>,
  "read" | "reserve" | "look" | "refuse"
> {
  /**
   * Checks a proof of this type.
   * @param claim takes a try of whatever the proof is shown for, before it is looked at. @param refused is told why it does not count.
   * @throws ProblemReply `invalid-fields`, `throttled`, and the method's own refusals.
   */
  check(
    context: ServiceContext,
    prover: Prover,
    shown: ShownProof,
    on: { claim?: () => Promise<void>; refused: (fault: string) => Promise<void> },
  ): Promise<CheckedProof>;
}

const NOTHING_RESERVED: ReservedTry = {
  asker: NOBODYS,
  giveBack: () => Promise.resolve(),
  succeed: () => Promise.resolve(),
};

/** Makes a method of its steps. */
export function proofMethod<Shown extends ShownProof, Read>(steps: ProofSteps<Shown, Read>): ProofMethod {
  const { read, reserve, look, refuse, ...method } = steps;
  return {
    ...method,
    async check(context, prover, shown, { claim, refused }) {
      const wanted = await read(context, prover, shown as Shown);
      const reserved = (await reserve?.(context, prover)) ?? NOTHING_RESERVED;
      let looked: RightProof | ProofFault;
      try {
        await claim?.();
        looked = await look(context, prover, wanted, reserved);
      } catch (error) {
        // It was not looked at to the end, so it was no failure.
        await giveBackAfter(error, reserved);
        throw error;
      }
      if (!("fault" in looked)) return { ...looked, reserved };
      await refused(looked.fault);
      if (looked.reply !== undefined) throw looked.reply;
      return refuse(looked.fault);
    },
  };
}
