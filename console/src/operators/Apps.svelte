<script lang="ts">
  import type { App } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { List } from "../lib/list.svelte.ts";
  import { call, title } from "../lib/page.ts";
  import Ago from "../parts/Ago.svelte";
  import CopyableId from "../parts/CopyableId.svelte";
  import ListTable from "../parts/ListTable.svelte";

  const list = new List<App>(async (cursor) => (await call(routes.listApps, { query: { cursor } })).body);
  void list.begin();

  const QUESTIONS: Readonly<Record<string, string>> = {
    introspect: "who is there",
    swap: "code for a token",
    revoke: "end a token",
    "look-up": "names",
    living: "which sessions live",
    basic: "is the password right",
    "own-forms": "for a visitor of its forms",
  };
</script>

<svelte:head><title>{title("Apps")}</title></svelte:head>
<h1 class="mb-4 text-xl font-semibold">Apps</h1>
<ListTable
  {list}
  caption="Apps"
  head={["App", "Client id", "Return addresses", "Keys", "What it asked", "Added"]}
>
  {#snippet row(app: App)}
    <td class="px-4 py-2.5">
      <span class="font-medium">{app.name}</span>
      {#if app.ownForms}<span class="text-quiet block text-sm">has forms of its own</span>{/if}
      {#if app.basicPasswords}<span class="text-quiet block text-sm">takes passwords as HTTP Basic</span>{/if}
    </td>
    <td class="px-4 py-2.5 whitespace-nowrap"><CopyableId id={app.clientId} /></td>
    <td class="px-4 py-2.5"
      >{#each app.redirectUris as address (address)}<code class="block break-all">{address}</code>{/each}</td
    >
    <td class="px-4 py-2.5"
      >{#each app.keys as key (key.id)}
        <span class="block text-sm whitespace-nowrap"
          ><CopyableId id={key.id} short />
          {#if key.lastUsedAt === null}never used{:else}used <Ago at={key.lastUsedAt} />{/if}</span
        >
      {/each}</td
    >
    <td class="px-4 py-2.5">
      {#each app.asked as { kind, today, thirtyDays } (kind)}
        <span class="block text-sm whitespace-nowrap"
          >{QUESTIONS[kind] ?? kind}: {today.toLocaleString("en")} today, {thirtyDays.toLocaleString("en")} in 30
          days</span
        >
      {:else}<span class="text-quiet text-sm">nothing yet</span>{/each}
    </td>
    <td class="px-4 py-2.5"><Ago at={app.createdAt} /></td>
  {/snippet}
  {#snippet empty()}
    Applications that stand behind Lucchetto are listed here. Register one:
    <code>npx lucchetto app add 'Hut book' --redirect-uri http://localhost:8421/signed-in</code>
  {/snippet}
</ListTable>
