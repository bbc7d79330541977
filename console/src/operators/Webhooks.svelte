<script lang="ts">
  /** Notices on their way to the application: each with its tries, to be looked at and sent again. */
  import type { Delivery } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { List } from "../lib/list.svelte.ts";
  import { Loader } from "../lib/loader.svelte.ts";
  import { operate } from "../lib/operate.svelte.ts";
  import { at, call, title } from "../lib/page.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Ago from "../parts/Ago.svelte";
  import CopyableId from "../parts/CopyableId.svelte";
  import Disclosure from "../parts/Disclosure.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import ListTable from "../parts/ListTable.svelte";
  import StatusBadge from "../parts/StatusBadge.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  const KINDS = { waiting: "open", delivered: "well", "given-up": "wrong" } as const;
  const loader = new Loader();
  const list = new List<Delivery>(
    async (cursor) => (await call(routes.listDeliveries, { query: { cursor } })).body,
  );
  void list.begin();

  async function repeat(id: string): Promise<void> {
    await loader.run(async () => {
      await operate(routes.repeatDelivery, { params: { id } });
      await list.begin();
    });
  }
  const pretty = (body: string) => JSON.stringify(JSON.parse(body), null, 2);
</script>

<svelte:head><title>{title(texts.webhooks.webhooks)}</title></svelte:head>
<div class="mb-4 flex flex-wrap items-baseline justify-between gap-4">
  <h1 class="text-xl font-semibold">{texts.webhooks.webhooks}</h1>
  <ActionButton onclick={() => list.begin()}>{texts.webhooks.refresh}</ActionButton>
</div>
<p class="text-quiet mb-4">
  {texts.webhooks.noticesToTheApplicationAbout}
</p>
<FormProblem problem={loader.problem} />
<ListTable
  {list}
  caption={texts.webhooks.notices}
  head={[
    texts.webhooks.what,
    texts.webhooks.account,
    texts.webhooks.state,
    texts.webhooks.attempts,
    texts.webhooks.lastAnswer,
    texts.webhooks.when,
    texts.webhooks.retry,
  ]}
>
  {#snippet row(delivery: Delivery)}
    <td class="px-4 py-2.5">
      <Disclosure>
        {#snippet head()}<code>{delivery.type}</code>{/snippet}
        <pre class="bg-paper mt-2 overflow-x-auto rounded p-3 font-mono text-sm">{pretty(delivery.body)}</pre>
        <p class="text-quiet mt-1 text-sm">webhook-id <CopyableId id={delivery.id} /></p>
      </Disclosure>
    </td>
    <td class="px-4 py-2.5">
      {#if delivery.accountId !== null}<a href={at(`/console/accounts/${delivery.accountId}`)}
          >{texts.webhooks.theAccount}</a
        >{/if}
    </td>
    <td class="px-4 py-2.5">
      <StatusBadge kind={KINDS[delivery.state]} text={texts.states[delivery.state]} />
      {#if delivery.nextTryAt !== null && delivery.tries > 0}<span class="text-quiet block text-sm"
          ><Interpolate text={texts.webhooks.nextAttempt}
            >{#snippet when()}<Ago at={delivery.nextTryAt} />{/snippet}</Interpolate
          ></span
        >{/if}
    </td>
    <td class="px-4 py-2.5">{delivery.tries}</td>
    <td class="px-4 py-2.5 break-words">{delivery.lastAnswer ?? "–"}</td>
    <td class="px-4 py-2.5"><Ago at={delivery.createdAt} /></td>
    <td class="px-4 py-2.5">
      <ActionButton
        size="sm"
        aria-label={texts.webhooks.sendAgainWhat(delivery.type)}
        onclick={() => repeat(delivery.id)}>{texts.webhooks.sendAgain}</ActionButton
      >
    </td>
  {/snippet}
  {#snippet empty()}
    <Interpolate text={texts.webhooks.noticesToTheApplicationAppear}
      >{#snippet url()}<code>webhooks.notify.url</code>{/snippet}{#snippet secret()}<code
          >webhooks.secretFile</code
        >{/snippet}</Interpolate
    >
  {/snippet}
</ListTable>
