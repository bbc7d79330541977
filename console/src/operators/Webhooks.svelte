<script lang="ts">
  /** Notices on their way to the application: each with its tries, to be looked at and sent again. */
  import type { Delivery } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { List } from "../lib/list.svelte.ts";
  import { at, call, title } from "../lib/page.ts";
  import Ago from "../parts/Ago.svelte";
  import CopyableId from "../parts/CopyableId.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import ListTable from "../parts/ListTable.svelte";
  import StateWord from "../parts/StateWord.svelte";

  const KINDS = { waiting: "open", delivered: "well", "given-up": "wrong" } as const;
  let problem: string | null = $state(null);
  const list = new List<Delivery>(
    async (cursor) => (await call(routes.listDeliveries, { query: { cursor } })).body,
  );
  void list.begin();

  async function repeat(id: string): Promise<void> {
    try {
      await call(routes.repeatDelivery, { params: { id } });
      problem = null;
      await list.begin();
    } catch (error) {
      problem = (error as Error).message;
    }
  }
  const pretty = (body: string) => JSON.stringify(JSON.parse(body), null, 2);
</script>

<svelte:head><title>{title("Webhooks")}</title></svelte:head>
<div class="mb-4 flex flex-wrap items-baseline justify-between gap-4">
  <h1 class="text-xl font-semibold">Webhooks</h1>
  <button type="button" class="border-line bg-slab rounded border px-3 py-1" onclick={() => list.begin()}
    >Look again</button
  >
</div>
<p class="text-quiet mb-4">
  What the application is told after it happened. A notice that does not arrive is tried again for three days.
</p>
<FormProblem {problem} />
<ListTable
  {list}
  caption="Notices"
  head={["What", "Account", "State", "Tries", "Last answer", "When", "Again"]}
>
  {#snippet row(delivery: Delivery)}
    <td class="px-4 py-2.5">
      <details>
        <summary class="cursor-pointer"><code>{delivery.type}</code></summary>
        <pre class="bg-paper mt-2 overflow-x-auto rounded p-3 font-mono text-sm">{pretty(delivery.body)}</pre>
        <p class="text-quiet mt-1 text-sm">webhook-id <CopyableId id={delivery.id} /></p>
      </details>
    </td>
    <td class="px-4 py-2.5">
      {#if delivery.accountId !== null}<a href={at(`/console/accounts/${delivery.accountId}`)}>the account</a
        >{/if}
    </td>
    <td class="px-4 py-2.5">
      <StateWord
        kind={KINDS[delivery.state]}
        text={delivery.state === "given-up" ? "given up" : delivery.state}
      />
      {#if delivery.nextTryAt !== null && delivery.tries > 0}<span class="text-quiet block text-sm"
          >again <Ago at={delivery.nextTryAt} /></span
        >{/if}
    </td>
    <td class="px-4 py-2.5">{delivery.tries}</td>
    <td class="px-4 py-2.5 break-words">{delivery.lastAnswer ?? "–"}</td>
    <td class="px-4 py-2.5"><Ago at={delivery.createdAt} /></td>
    <td class="px-4 py-2.5">
      <button
        type="button"
        class="border-line min-h-6 rounded border px-3 py-1 text-sm"
        aria-label="Send again: {delivery.type}"
        onclick={() => repeat(delivery.id)}>Send again</button
      >
    </td>
  {/snippet}
  {#snippet empty()}
    Notices to the application stand here. Name a receiver in the configuration:
    <code>webhooks.notify.url</code> and <code>webhooks.secretFile</code>.
  {/snippet}
</ListTable>
