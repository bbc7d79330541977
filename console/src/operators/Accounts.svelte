<script lang="ts">
  import type { OperatorAccount } from "@lucchetto/contract";
  import { searchParams } from "sv-router";
  import { routes } from "virtual:routes";
  import { List } from "../lib/list.svelte.ts";
  import { at, call, title } from "../lib/page.ts";
  import Ago from "../parts/Ago.svelte";
  import ListTable from "../parts/ListTable.svelte";
  import StatusBadge from "../parts/StatusBadge.svelte";
  import { navigate } from "../routes.ts";
  import { consoleTexts as texts } from "../texts/console.ts";
  import AddAccount from "./AddAccount.svelte";
  import Throttled from "./Throttled.svelte";

  const search = $derived(searchParams.get("search")?.toString() ?? undefined);
  const scheme = $derived(searchParams.get("scheme")?.toString() ?? undefined);
  const secondFactor = $derived(factorWanted(searchParams.get("second-factor")?.toString()));
  const isWhole = $derived([search, scheme, secondFactor].every((narrowing) => narrowing === undefined));
  const heading = $derived(
    secondFactor !== undefined
      ? texts.accounts.bySecondFactor[secondFactor]
      : search !== undefined
        ? texts.accounts.accountsThatBeginWith(search)
        : scheme === "older"
          ? texts.accounts.accountsWithARecordOlder
          : scheme !== undefined
            ? texts.accounts.accountsWith(scheme)
            : texts.accounts.accounts,
  );
  const list = new List<OperatorAccount>(
    async (cursor) =>
      (await call(routes.listAccounts, { query: { search, scheme, secondFactor, cursor } })).body,
  );

  function factorWanted(asked: string | undefined): keyof typeof texts.accounts.bySecondFactor | undefined {
    return asked === "present" || asked === "none" || asked === "missing" ? asked : undefined;
  }

  $effect(() => {
    void search;
    void scheme;
    void secondFactor;
    void list.begin();
  });
</script>

<svelte:head><title>{title(texts.accounts.accounts)}</title></svelte:head>
<h1 class="mb-4 text-xl font-semibold">
  {heading}
</h1>
{#if isWhole}
  <Throttled />
  <AddAccount added={(id) => navigate("/console/accounts/:id", { params: { id } })} />
{/if}
<ListTable
  {list}
  caption={texts.accounts.accounts}
  head={[
    texts.accounts.who,
    texts.accounts.username,
    texts.accounts.state,
    texts.accounts.address,
    texts.accounts.labels,
    scheme === undefined ? texts.accounts.registered : texts.accounts.record,
    texts.accounts.lastSignIn,
  ]}
>
  {#snippet row(account: OperatorAccount)}
    <td class="px-4 py-2.5">
      <a href={at(`/console/accounts/${account.id}`)} class="font-medium min-w-52 break-all"
        >{account.email ?? account.username}</a
      >
      {#if account.displayName}<span class="text-quiet block text-sm">{account.displayName}</span>{/if}
    </td>
    <td class="px-4 py-2.5">{account.username ?? "–"}</td>
    <td class="px-4 py-2.5">
      <StatusBadge
        kind={account.state === "active" ? "well" : account.state === "suspended" ? "wrong" : "open"}
        text={texts.states[account.state]}
      />
    </td>
    <td class="px-4 py-2.5">
      {#if account.email === null}–{:else}<StatusBadge
          kind={account.emailVerified ? "well" : "open"}
          text={account.emailVerified ? texts.accounts.verified : texts.accounts.notVerified}
        />{/if}
    </td>
    <td class="px-4 py-2.5">{account.labels.join(", ") || "–"}</td>
    <td class="px-4 py-2.5">
      {#if scheme === undefined}<Ago at={account.createdAt} />{:else}<code>{account.scheme}</code>{/if}
    </td>
    <td class="px-4 py-2.5"><Ago at={account.lastSignInAt} /></td>
  {/snippet}
  {#snippet empty()}
    {#if scheme !== undefined}
      {texts.accounts.noRecordUsesThatScheme}
      <a href={at("/console/hashes")}>{texts.accounts.backToHashes}</a>
    {:else if secondFactor !== undefined}
      {texts.accounts.noneRightNow} <a href={at("/console/sign-ins")}>{texts.accounts.backToSignIns}</a>
    {:else if search === undefined}
      {texts.accounts.accountsAppearHereAsPeople}
      <code>npx lucchetto register --email anna@brina.example</code>
    {:else}
      {texts.accounts.noAccountBeginsWith(search)}
      <a href={at("/console/accounts")}>{texts.accounts.showAllAccounts}</a>
    {/if}
  {/snippet}
</ListTable>
