<script lang="ts">
  import type { App } from "@lucchetto/contract";
  import { routes } from "@lucchetto/contract";
  import { List } from "../lib/list.svelte.ts";
  import { call, title } from "../lib/page.ts";
  import Ago from "../parts/Ago.svelte";
  import CopyableId from "../parts/CopyableId.svelte";
  import ListTable from "../parts/ListTable.svelte";

  const list = new List<App>(async (cursor) => (await call(routes.listApps, { query: { cursor } })).body);
  void list.begin();

  function lastAsked(app: App): string | null {
    return (
      app.keys
        .map(({ lastUsedAt }) => lastUsedAt)
        .sort()
        .at(-1) ?? null
    );
  }
</script>

<svelte:head><title>{title("Apps")}</title></svelte:head>
<h1 class="mb-4 text-xl font-semibold">Apps</h1>
<ListTable
  {list}
  caption="Apps"
  head={["App", "Client id", "Return addresses", "Keys", "Last asked", "Added"]}
>
  {#snippet row(app: App)}
    <td class="px-4 py-2.5 font-medium">{app.name}</td>
    <td class="px-4 py-2.5"><CopyableId id={app.clientId} /></td>
    <td class="px-4 py-2.5"
      >{#each app.redirectUris as address (address)}<code class="block break-all">{address}</code>{/each}</td
    >
    <td class="px-4 py-2.5">{app.keys.length}</td>
    <td class="px-4 py-2.5"><Ago at={lastAsked(app)} /></td>
    <td class="px-4 py-2.5"><Ago at={app.createdAt} /></td>
  {/snippet}
  {#snippet empty()}
    Applications that stand behind Lucchetto are listed here. Register one:
    <code>npx lucchetto app add 'Hut book' --redirect-uri http://localhost:8421/signed-in</code>
  {/snippet}
</ListTable>
