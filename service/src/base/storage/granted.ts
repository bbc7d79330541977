/**
 * Who may change an account is settled in the transaction that changes it, never before it. The types hold that: what writes to an account
 * takes a `Granted`, and one comes only from what reads or spends, in the transaction itself, what allows the change.
 */
import type { EntityManager } from "typeorm";

declare const isGranted: unique symbol;

/** A transaction in which an account may be changed. */
export type Granted = EntityManager & { readonly [isGranted]: true };

/**
 * Says that what allows the change was read or spent in this transaction: a living session, an operator or app that still may, a link, a
 * sign-in in progress, a plan that is carried out. Called by those few modules alone, which `.dependency-cruiser.mjs` lists.
 */
export const grant = (manager: EntityManager): Granted => manager as Granted;
