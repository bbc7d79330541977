<script lang="ts">
  /** Who is held back after failures, and a way to release them. Of one account, or of all. */
  import type { ThrottleEntry } from "@lucchetto/contract";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Loader } from "../lib/loader.svelte.ts";
  import { operate } from "../lib/operate.svelte.ts";
  import { at, call } from "../lib/page.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Ago from "../parts/Ago.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import StatusBadge from "../parts/StatusBadge.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  const { accountId }: { accountId?: string } = $props();

  const KINDS: Record<ThrottleEntry["kind"], string> = {
    "account-strange": texts.heldBack.passwordAttemptsFromUnknownDevices,
    "account-known": texts.heldBack.passwordAttemptsFromKnownDevices,
    "account-own": texts.heldBack.passwordAttemptsInsideSessions,
    "account-factor": texts.heldBack.secondFactorAttempts,
    "account-factor-known": texts.heldBack.secondFactorAttemptsFromKnown,
    "account-factor-reset": texts.heldBack.attemptsAllowedAfterAReset,
    "account-codes-by-mail": texts.heldBack.codesTriedWithMailedLinks,
    "account-usernames": texts.heldBack.changesOfUsername,
    "account-hashing": texts.heldBack.newPasswordsOfAnAccount,
    "account-changes": texts.heldBack.changesOfAnAccount,
    "account-copies": texts.heldBack.copiesOfAnAccountsData,
    "account-keys": texts.heldBack.accessKeysOfAnAccount,
    name: texts.heldBack.aNameAsItWas,
    "undo-link": texts.heldBack.attemptsWithAnUndoLink,
    "link-hashing": texts.heldBack.newPasswordsByALink,
    network: texts.heldBack.failuresFromANetwork,
    "network-registrations": texts.heldBack.registrationsFromANetwork,
    "network-mail": texts.heldBack.mailsRequestedFromANetwork,
    "network-challenges": texts.heldBack.passkeyChallengesForANetwork,
    "address-mail": texts.heldBack.mailsRequestedToAnAddress,
    "device-mail": texts.heldBack.mailsRequestedByKnownDevices,
    "app-work": texts.heldBack.anApplicationWorkingOnAccounts,
  };
  const STATES = { open: "old", waiting: "wrong", closed: "wrong" } as const;

  let entries = $state<ThrottleEntry[]>([]);
  const loader = new Loader();
  const shown = $derived(
    accountId === undefined
      ? entries.filter(({ state }) => state !== "open")
      : entries.filter(({ subject }) => subject === accountId),
  );

  async function load(): Promise<void> {
    await loader.run(async () => {
      entries = (await call(routes.listThrottle)).body.items;
    });
  }

  async function release(id: string): Promise<void> {
    await loader.run(async () => {
      await operate(routes.releaseThrottle, { params: { id } });
      await load();
    });
  }

  onMount(load);
</script>

<FormProblem problem={loader.problem} />
{#if shown.length > 0}
  <section class="border-line bg-slab mb-6 rounded-lg border p-4" aria-labelledby="held-back">
    <h2 id="held-back" class="text-lg font-semibold">{texts.heldBack.blockedForNow}</h2>
    <ul class="divide-line mt-2 divide-y">
      {#each shown as entry (entry.id)}
        <li class="flex flex-wrap items-center justify-between gap-x-6 gap-y-1 py-2">
          <span>
            {KINDS[entry.kind]}:
            {#if entry.subject !== null && (entry.kind.startsWith("account-") || entry.kind === "name") && accountId === undefined}
              <a href={at(`/console/accounts/${entry.subject}`)}>{texts.heldBack.theAccount}</a>
            {:else if entry.subject !== null && accountId === undefined}
              <code>{entry.subject}</code>
            {:else if entry.subject === null}
              <code title={texts.heldBack.aNameIsNotKept}>#{entry.id.slice(0, 8)}</code>
            {/if}
            <Interpolate text={texts.heldBack.failuresTheLast(entry.failures)}
              >{#snippet when()}<Ago at={entry.changedAt} />{/snippet}</Interpolate
            >
          </span>
          <span class="flex items-center gap-4">
            <StatusBadge kind={STATES[entry.state]} text={texts.heldBack.states[entry.state]} />
            {#if entry.waitUntil !== null}<span class="text-quiet text-sm"
                ><Interpolate text={texts.heldBack.ends}
                  >{#snippet when()}<Ago at={entry.waitUntil} />{/snippet}</Interpolate
                ></span
              >{/if}
            <ActionButton size="sm" onclick={() => release(entry.id)}>{texts.heldBack.unblock}</ActionButton>
          </span>
        </li>
      {/each}
    </ul>
  </section>
{/if}
