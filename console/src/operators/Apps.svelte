<script lang="ts">
  import type { App } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { List } from "../lib/list.svelte.ts";
  import { call, title } from "../lib/page.ts";
  import Ago from "../parts/Ago.svelte";
  import CopyableId from "../parts/CopyableId.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import ListTable from "../parts/ListTable.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  const list = new List<App>(async (cursor) => (await call(routes.listApps, { query: { cursor } })).body);
  void list.begin();

  const QUESTIONS: Readonly<Record<string, string>> = {
    introspect: texts.apps.whoIsThere,
    swap: texts.apps.codeExchanged,
    revoke: texts.apps.tokenRevoked,
    "look-up": texts.apps.names,
    living: texts.apps.whichSessionsAreAlive,
    basic: texts.apps.isThePasswordRight,
    "own-forms": texts.apps.forAVisitorByIts,
    accounts: texts.apps.workOnAccounts,
  };

  /** Each page of the app to which mailed links lead, with what they are for. */
  function linkPages({ linkAddresses }: App): ReadonlyArray<readonly [address: string, purposes: string[]]> {
    const pages = new Map<string, string[]>();
    for (const [purpose, address] of Object.entries(linkAddresses))
      pages.set(address, [...(pages.get(address) ?? []), purpose]);
    return [...pages];
  }
</script>

<svelte:head><title>{title(texts.apps.apps)}</title></svelte:head>
<h1 class="mb-4 text-xl font-semibold">{texts.apps.apps}</h1>
<ListTable
  {list}
  caption={texts.apps.apps}
  head={[
    texts.apps.app,
    texts.apps.clientId,
    texts.apps.returnAddresses,
    texts.apps.keys,
    texts.apps.requests,
    texts.apps.added,
  ]}
>
  {#snippet row(app: App)}
    <td class="min-w-40 px-4 py-2.5">
      <span class="font-medium">{app.name}</span>
      {#if app.home !== null}<a class="block text-sm break-all" href={app.home}>{app.home}</a>{/if}
      {#if app.ownForms}<span class="text-quiet block text-sm">{texts.apps.hasFormsOfItsOwn}</span>{/if}
      {#if app.basicPasswords}<span class="text-quiet block text-sm"
          >{texts.apps.takesPasswordsAsHttpBasic}</span
        >{/if}
      {#if app.rights.includes("accounts")}<span class="text-quiet block text-sm"
          >{texts.apps.worksOnAccounts}</span
        >{/if}
    </td>
    <td class="px-4 py-2.5 whitespace-nowrap"><CopyableId id={app.clientId} /></td>
    <td class="min-w-52 px-4 py-2.5"
      >{#each app.redirectUris as address (address)}<code class="block break-all">{address}</code>{/each}
      {#each linkPages(app) as [address, purposes] (address)}<span class="text-quiet mt-2 block text-sm"
          >{texts.apps.mailedLinks(purposes.join(", "))}<code class="block break-all">{address}</code></span
        >{/each}</td
    >
    <td class="px-4 py-2.5"
      >{#each app.keys as key (key.id)}
        <span class="block text-sm whitespace-nowrap"
          ><CopyableId id={key.id} short />
          {#if key.lastUsedAt === null}{texts.apps.neverUsed}{:else}<Interpolate text={texts.apps.used}
              >{#snippet when()}<Ago at={key.lastUsedAt} />{/snippet}</Interpolate
            >{/if}</span
        >
      {/each}</td
    >
    <td class="min-w-48 px-4 py-2.5">
      {#each app.asked as { kind, today, thirtyDays } (kind)}
        <span class="block text-sm"
          >{texts.apps.asked(
            QUESTIONS[kind] ?? kind,
            today.toLocaleString("en"),
            thirtyDays.toLocaleString("en"),
          )}</span
        >
      {:else}<span class="text-quiet text-sm">{texts.apps.nothingYet}</span>{/each}
    </td>
    <td class="px-4 py-2.5"><Ago at={app.createdAt} /></td>
  {/snippet}
  {#snippet empty()}
    {texts.apps.applicationsThatUseLucchettoAre}
    <code>npx lucchetto app add 'Hut book' --redirect-uri http://localhost:8421/signed-in</code>
  {/snippet}
</ListTable>
