/**
 * Lets an operator in again who lost everything, without another operator: only where configuration, key ring and
 * database are. Journalled, and told to all operators.
 */
import type { KeyRing } from "@lucchetto/core";
import { OPERATOR_LABEL, readIdentifier } from "@lucchetto/core";
import type { DataSource } from "typeorm";
import type { Clock } from "../../base/clock/clock.ts";
import type { Configuration } from "../../base/config/index.ts";
import { makeOperatorsRecord, OperatorRefusal } from "../../flows/registration/add-operator.ts";
import { deleteAccessKeysOf } from "../../records/access-key/store.ts";
import { findByIdentifier, firstPassword, lockAccount, updateAccount } from "../../records/account/store.ts";
import { BY_COMMAND } from "../../records/context.ts";
import { changeAs } from "../../records/granting/actor.ts";
import { recordAndTell } from "../../records/journal/mails.ts";
import { voidLinksOf } from "../../records/mail-link/store.ts";
import { opensNewestMails } from "../../records/mail/mail.ts";
import { SET_WITH_NOTHING, setRecord } from "../../records/password/store.ts";
import { openSecret } from "../../records/second-factor/secret.ts";
import { listConfirmed, removeSecondFactorsOf } from "../../records/second-factor/store.ts";
import { endSessionsOf } from "../../records/session/store.ts";
import { endSignInsOf } from "../../records/sign-in/store.ts";
import { forgetCountsOfAccount, forgetDevices } from "../../records/throttle/store.ts";

/**
 * Gives a first password, takes the second factor away, and restores a suspended account.
 * @returns the account's id, and whether there was a second factor. @throws OperatorRefusal.
 */
export async function rescueOperator(
  {
    configuration,
    dataSource,
    clock,
  }: { configuration: Configuration; dataSource: DataSource; clock: Clock },
  { email, password }: { email: string; password: string },
): Promise<{ id: string; hadFactor: boolean }> {
  const { keyRing } = configuration;
  if (keyRing === null)
    throw new OperatorRefusal(
      "keys.file: no key ring is named here. A rescue is done where the service's own key ring is, so that the database alone opens nothing.",
    );
  const identifier = readIdentifier(email);
  const found = identifier === null ? null : await findByIdentifier(dataSource, identifier);
  if (found?.labels.includes(OPERATOR_LABEL) !== true)
    throw new OperatorRefusal(
      `--email: ${email} is no operator here. To make a new one: lucchetto operator add --email ${email}`,
    );
  if (!(await opensWhatIsSealed(dataSource, { accountId: found.id, keyRing })))
    throw new OperatorRefusal(
      "keys.file: this is not the key ring of this database; what is sealed there does not open with it. Name the service's own key ring.",
    );
  const made = await makeOperatorsRecord(configuration, { email, displayName: found.displayName, password });
  const { id } = found;
  return changeAs({ dataSource, clock }, { onThisMachine: id }, async ({ manager, now }) => {
    const account = await lockAccount(manager, id);
    if (account === null) throw new OperatorRefusal(`--email: ${email} was erased meanwhile`);
    const hadFactor = await removeSecondFactorsOf(manager, id, now);
    await setRecord(manager, { accountId: id, made, now, set: SET_WITH_NOTHING });
    await updateAccount(manager, id, { state: "active", eraseAt: null, ...firstPassword(now) });
    await endSessionsOf(manager, id, { now, reason: "rescued" });
    await endSignInsOf(manager, id, now);
    await deleteAccessKeysOf(manager, id);
    await forgetDevices(manager, id, now);
    await voidLinksOf(manager, id, now);
    await forgetCountsOfAccount(manager, id);
    const visit = BY_COMMAND;
    const parts = { configuration, clock, sealingKeys: keyRing };
    const event = { kind: "operator.rescued", accountId: id } as const;
    const operators = { about: account, by: "lucchetto operator rescue" };
    await recordAndTell(parts, manager, { event, readers: { operators }, visit, now });
    return { id, hadFactor };
  });
}

/** Whoever has another key ring is not where the service is: the operator's own second factor opens, and so does what was mailed last. */
async function opensWhatIsSealed(
  dataSource: DataSource,
  { accountId, keyRing }: { accountId: string; keyRing: KeyRing },
): Promise<boolean> {
  const authenticators = await listConfirmed(dataSource.manager, accountId);
  const isOpened = authenticators.every((row) => openSecret({ sealingKeys: keyRing }, row) !== null);
  return isOpened && opensNewestMails(dataSource, keyRing);
}
