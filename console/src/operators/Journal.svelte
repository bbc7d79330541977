<script lang="ts">
  import type { JournalEntry } from "@lucchetto/contract";
  import { searchParams } from "sv-router";
  import { routes } from "virtual:routes";
  import { List } from "../lib/list.svelte.ts";
  import { at, call, title } from "../lib/page.ts";
  import JournalRows from "./JournalRows.svelte";

  const requestId = $derived(searchParams.get("requestId")?.toString() ?? undefined);
  const list = new List<JournalEntry>(
    async (cursor) => (await call(routes.listJournal, { query: { requestId, limit: 50, cursor } })).body,
  );
  $effect(() => {
    void requestId;
    void list.begin();
  });
</script>

<svelte:head><title>{title("Journal")}</title></svelte:head>
<h1 class="mb-4 text-xl font-semibold">Journal</h1>
{#if requestId}<p class="mb-4">
    Of request <code>{requestId}</code>. <a href={at("/console/journal")}>Show all</a>
  </p>{/if}
<JournalRows {list} withAccount />
