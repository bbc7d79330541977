<script lang="ts">
  import type { OperatorJournalEntry } from "@lucchetto/contract";
  import type { List } from "../lib/list.svelte.ts";
  import { at } from "../lib/page.ts";
  import Ago from "../parts/Ago.svelte";
  import CopyableId from "../parts/CopyableId.svelte";
  import ListTable from "../parts/ListTable.svelte";
  import StatusBadge from "../parts/StatusBadge.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  const { list, withAccount = false }: { list: List<OperatorJournalEntry>; withAccount?: boolean } = $props();

  /** Reasons are slugs; some are ids, and stay as they are. */
  const inWords = (reason: string) =>
    /^[0-9a-f]{8}-[0-9a-f-]{27}$/.test(reason) ? reason : reason.replaceAll("-", " ");
</script>

<ListTable
  {list}
  caption={texts.journalRows.journal}
  head={[
    texts.journalRows.when,
    texts.journalRows.what,
    texts.journalRows.outcome,
    texts.journalRows.from,
    texts.journalRows.request,
  ]}
>
  {#snippet row(entry: OperatorJournalEntry)}
    <td class="px-4 py-2"><Ago at={entry.at} /></td>
    <td class="px-4 py-2">
      <code>{entry.kind}</code>
      {#if withAccount && entry.accountId}<a
          class="ml-2 text-sm"
          href={at(`/console/accounts/${entry.accountId}`)}>{texts.journalRows.account}</a
        >{/if}
    </td>
    <td class="px-4 py-2">
      <StatusBadge kind={entry.outcome === "done" ? "well" : "wrong"} text={entry.outcome} />
      {#if entry.reason}<span class="text-quiet ml-1">{inWords(entry.reason)}</span>{/if}
      {#if entry.actorName ?? entry.appName}<span class="text-quiet block text-sm"
          >{entry.actorName
            ? texts.journalRows.by(entry.actorName)
            : texts.journalRows.app(entry.appName)}</span
        >{/if}
    </td>
    <td class="px-4 py-2">{entry.network ?? "–"}</td>
    <td class="px-4 py-2"
      >{#if entry.requestId}<CopyableId id={entry.requestId} short />{/if}</td
    >
  {/snippet}
  {#snippet empty()}{texts.journalRows.nothingHereYet}{/snippet}
</ListTable>
