<script lang="ts">
  import type { Account } from "@lucchetto/contract";
  import { routes } from "@lucchetto/contract";
  import { searchParams } from "sv-router";
  import { List } from "../lib/list.svelte.ts";
  import { at, call, title } from "../lib/page.ts";
  import Ago from "../parts/Ago.svelte";
  import ListTable from "../parts/ListTable.svelte";
  import StateWord from "../parts/StateWord.svelte";
  import HeldBack from "./HeldBack.svelte";

  const search = $derived(searchParams.get("search")?.toString() ?? undefined);
  const list = new List<Account>(
    async (cursor) => (await call(routes.listAccounts, { query: { search, cursor } })).body,
  );

  $effect(() => {
    void search;
    void list.begin();
  });
</script>

<svelte:head><title>{title("Accounts")}</title></svelte:head>
<h1 class="mb-4 text-xl font-semibold">
  {search === undefined ? "Accounts" : `Accounts that begin with “${search}”`}
</h1>
{#if search === undefined}<HeldBack />{/if}
<ListTable {list} caption="Accounts" head={["Who", "Username", "State", "Address", "Labels", "Registered"]}>
  {#snippet row(account: Account)}
    <td class="px-4 py-2.5">
      <a href={at(`/console/accounts/${account.id}`)} class="font-medium break-all"
        >{account.email ?? account.username}</a
      >
      {#if account.displayName}<span class="text-quiet block text-sm">{account.displayName}</span>{/if}
    </td>
    <td class="px-4 py-2.5">{account.username ?? "–"}</td>
    <td class="px-4 py-2.5">
      <StateWord
        kind={account.state === "active" ? "well" : account.state === "suspended" ? "wrong" : "open"}
        text={account.state}
      />
    </td>
    <td class="px-4 py-2.5">
      {#if account.email === null}–{:else}<StateWord
          kind={account.emailVerified ? "well" : "open"}
          text={account.emailVerified ? "verified" : "not verified"}
        />{/if}
    </td>
    <td class="px-4 py-2.5">{account.labels.join(", ") || "–"}</td>
    <td class="px-4 py-2.5"><Ago at={account.createdAt} /></td>
  {/snippet}
  {#snippet empty()}
    {#if search === undefined}
      Accounts stand here as people register. Make one: <code
        >npx lucchetto register --email anna@brina.example</code
      >
    {:else}
      No account begins with “{search}”. <a href={at("/console/accounts")}>Show all accounts</a>
    {/if}
  {/snippet}
</ListTable>
