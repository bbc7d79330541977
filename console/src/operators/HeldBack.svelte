<script lang="ts">
  /** Who is held back after failures, and a way to release them. Of one account, or of all. */
  import type { ThrottleEntry } from "@lucchetto/contract";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { at, call } from "../lib/page.ts";
  import Ago from "../parts/Ago.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import StateWord from "../parts/StateWord.svelte";

  const { accountId }: { accountId?: string } = $props();

  const KINDS: Record<ThrottleEntry["kind"], string> = {
    "account-strange": "Password tried from strange devices",
    "account-known": "Password tried from known devices",
    "account-factor": "Second factor tried",
    "unknown-name": "A name that nobody has",
    network: "Failures from a network",
    "network-registrations": "Registrations from a network",
    "network-mail": "Mails asked for from a network",
    "address-mail": "Mails asked for to an address",
    "device-mail": "mail asked for by known devices",
  };
  const STATES = { open: "old", waiting: "wrong", closed: "wrong" } as const;

  let entries = $state<ThrottleEntry[]>([]);
  let problem: string | null = $state(null);
  const shown = $derived(
    accountId === undefined
      ? entries.filter(({ state }) => state !== "open")
      : entries.filter(({ subject }) => subject === accountId),
  );

  async function load(): Promise<void> {
    try {
      entries = (await call(routes.listThrottle)).body.items;
      problem = null;
    } catch (error) {
      problem = (error as Error).message;
    }
  }

  async function release(id: string): Promise<void> {
    try {
      await call(routes.releaseThrottle, { params: { id } });
      await load();
    } catch (error) {
      problem = (error as Error).message;
    }
  }

  onMount(load);
</script>

<FormProblem {problem} />
{#if shown.length > 0}
  <section class="border-line bg-slab mb-6 rounded-lg border p-4" aria-labelledby="held-back">
    <h2 id="held-back" class="text-lg font-semibold">Held back</h2>
    <ul class="divide-line mt-2 divide-y">
      {#each shown as entry (entry.id)}
        <li class="flex flex-wrap items-center justify-between gap-x-6 gap-y-1 py-2">
          <span>
            {KINDS[entry.kind]}:
            {#if entry.subject !== null && entry.kind.startsWith("account-") && accountId === undefined}
              <a href={at(`/console/accounts/${entry.subject}`)}>the account</a>
            {:else if entry.subject !== null && accountId === undefined}
              <code>{entry.subject}</code>
            {/if}
            {entry.failures} failures, the last <Ago at={entry.changedAt} />
          </span>
          <span class="flex items-center gap-4">
            <StateWord
              kind={STATES[entry.state]}
              text={entry.state === "open" ? "one more makes it wait" : entry.state}
            />
            {#if entry.waitUntil !== null}<span class="text-quiet text-sm"
                >ends <Ago at={entry.waitUntil} /></span
              >{/if}
            <button
              type="button"
              class="border-line min-h-6 rounded border px-3 py-1 text-sm"
              onclick={() => release(entry.id)}>Release</button
            >
          </span>
        </li>
      {/each}
    </ul>
  </section>
{/if}
