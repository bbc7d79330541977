<script lang="ts" generics="Item extends { id: string }">
  /** A table of a list, with a way to see more of it, and words where it is empty. */
  import { Table, TableBody, TableHead, TableHeadCell } from "flowbite-svelte";
  import type { Snippet } from "svelte";
  import type { List } from "../lib/list.svelte.ts";
  import { texts } from "../texts/texts.ts";
  import ActionButton from "./ActionButton.svelte";
  import FormProblem from "./FormProblem.svelte";

  interface Props {
    list: List<Item>;
    head: readonly string[];
    row: Snippet<[Item]>;
    empty: Snippet;
    caption: string;
  }
  const { list, head, row, empty, caption }: Props = $props();
</script>

<FormProblem problem={list.problem} />
{#if list.loaded && list.items.length === 0}
  <div class="border-line text-quiet rounded-lg border border-dashed px-6 py-10">{@render empty()}</div>
{:else if list.loaded}
  <div class="border-line bg-slab overflow-x-auto rounded-lg border">
    <Table class="text-ink text-base">
      <caption class="sr-only">{caption}</caption>
      <TableHead class="bg-gray-100 text-quiet border-line border-b text-sm normal-case dark:bg-gray-800">
        {#each head as word (word)}<TableHeadCell class="px-4 py-2 font-medium whitespace-nowrap"
            >{word}</TableHeadCell
          >{/each}
      </TableHead>
      <TableBody>
        {#each list.items as item (item.id)}
          <tr class="border-line border-b align-top last:border-0">{@render row(item)}</tr>
        {/each}
      </TableBody>
    </Table>
  </div>
  {#if list.next !== null}
    <ActionButton class="mt-4" onclick={() => list.more()}>{texts.listTable.showMore}</ActionButton>
  {/if}
{/if}
