<script lang="ts">
  import type { OperatorJournalEntry } from "@lucchetto/contract";
  import { searchParams } from "sv-router";
  import { routes } from "virtual:routes";
  import { List } from "../lib/list.svelte.ts";
  import { at, call, title } from "../lib/page.ts";
  import Interpolate from "../parts/Interpolate.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";
  import JournalChain from "./JournalChain.svelte";
  import JournalRows from "./JournalRows.svelte";

  const requestId = $derived(searchParams.get("requestId")?.toString() ?? undefined);
  const list = new List<OperatorJournalEntry>(
    async (cursor) => (await call(routes.listJournal, { query: { requestId, limit: 50, cursor } })).body,
  );
  $effect(() => {
    void requestId;
    void list.begin();
  });
</script>

<svelte:head><title>{title(texts.journal.journal)}</title></svelte:head>
<h1 class="mb-4 text-xl font-semibold">{texts.journal.journal}</h1>
{#if requestId}<p class="mb-4">
    <Interpolate text={texts.journal.forRequest}
      >{#snippet id()}<code>{requestId}</code>{/snippet}</Interpolate
    >
    <a href={at("/console/journal")}>{texts.journal.showAll}</a>
  </p>{/if}
<JournalChain />
<JournalRows {list} withAccount />
