<script lang="ts">
  import type { AccountDetail, OperatorJournalEntry, OperatorSession } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { bytes } from "../lib/bytes.ts";
  import { List } from "../lib/list.svelte.ts";
  import { Loader } from "../lib/loader.svelte.ts";
  import { call, title } from "../lib/page.ts";
  import Ago from "../parts/Ago.svelte";
  import CopyableId from "../parts/CopyableId.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import RecordDrawing from "../parts/RecordDrawing.svelte";
  import StatusBadge from "../parts/StatusBadge.svelte";
  import { route } from "../routes.ts";
  import { consoleTexts as texts } from "../texts/console.ts";
  import AccountState from "./AccountState.svelte";
  import HelpAccount from "./HelpAccount.svelte";
  import JournalRows from "./JournalRows.svelte";
  import SessionRows from "./SessionRows.svelte";
  import Throttled from "./Throttled.svelte";

  const id = $derived(route.getParams("/console/accounts/:id").id);
  let detail = $state<AccountDetail | null>(null);
  const loader = new Loader();

  const sessions = new List<OperatorSession>(
    async (cursor) => (await call(routes.listSessions, { query: { accountId: id, limit: 5, cursor } })).body,
  );
  const journal = new List<OperatorJournalEntry>(
    async (cursor) => (await call(routes.listJournal, { query: { accountId: id, limit: 10, cursor } })).body,
  );

  async function load(): Promise<void> {
    await loader.run(async () => {
      detail = (await call(routes.showAccountDetail, { params: { id } })).body;
      await Promise.all([sessions.begin(), journal.begin()]);
    });
  }

  $effect(() => {
    void id;
    void load();
  });

  const name = $derived(detail?.account.email ?? detail?.account.username ?? "");
</script>

<svelte:head><title>{title(name || texts.accountDetail.account)}</title></svelte:head>
<FormProblem problem={loader.problem} />
{#snippet used(at: string | null)}{#if at === null}
    · {texts.accountDetail.neverUsed}{:else}<Interpolate text={texts.accountDetail.lastUsed}
      >{#snippet when()}<Ago {at} />{/snippet}</Interpolate
    >{/if}{/snippet}
{#if detail}
  {@const { account, password, secondFactor } = detail}
  {@const { authenticators, passkeys, recoveryCodesLeft: left } = secondFactor}
  <div class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
    <h1 class="text-xl font-semibold break-all">{name}</h1>
    {#if account.displayName}<span class="text-quiet text-lg">{account.displayName}</span>{/if}
    <StatusBadge
      kind={account.state === "active" ? "well" : account.state === "suspended" ? "wrong" : "open"}
      text={texts.states[account.state]}
    />
    {#each account.labels as label (label)}<span class="border-line rounded border px-2 text-sm">{label}</span
      >{/each}
  </div>
  <p class="text-quiet mt-1 text-sm">
    {texts.accountDetail.registered}
    <Ago at={account.createdAt} /> · <CopyableId id={account.id} />
  </p>
  {#if authenticators.length + passkeys.length === 0}
    <p class="text-quiet mt-1 text-sm">{texts.accountDetail.noSecondFactor}</p>
  {:else}
    <div class="mt-2 flex flex-wrap items-baseline gap-x-3 text-sm">
      <StatusBadge kind="well" text={texts.accountDetail.secondFactor} />
      <ul class="space-y-1">
        {#each passkeys as one (one.id)}
          <li>
            <strong class="font-medium">{one.name}</strong> · {texts.accountDetail.passkeyKinds[one.kind]} ·
            {one.backedUp ? texts.accountDetail.backedUp : texts.accountDetail.noBackup} ·
            {texts.accountDetail.counter(one.signCount)}{@render used(one.lastUsedAt)}
          </li>
        {/each}
        {#each authenticators as one (one.id)}
          <li>
            <strong class="font-medium">{one.name}</strong> · {texts.accountDetail.app}{one.driftSeconds === 0
              ? ""
              : ` · ${texts.accountDetail.clockOff(one.driftSeconds)}`}{@render used(one.lastUsedAt)}
          </li>
        {/each}
        <li class="text-quiet">{texts.accountDetail.left(left)}</li>
      </ul>
    </div>
  {/if}

  <AccountState {account} changed={() => void load()} />
  <HelpAccount
    {account}
    hasFactor={authenticators.length + passkeys.length > 0}
    changed={() => void load()}
  />

  <section class="border-line bg-slab mt-6 rounded-lg border p-5" aria-labelledby="password-heading">
    <div class="mb-4 flex flex-wrap items-baseline justify-between gap-2">
      <h2 id="password-heading" class="text-lg font-semibold">{texts.accountDetail.passwordRecord}</h2>
      {#if password !== null && !("unreadable" in password)}
        <StatusBadge
          kind={password.current ? "well" : "old"}
          text={password.current
            ? "current"
            : texts.accountDetail.olderThanConfigured(password.configuredScheme)}
        />
      {/if}
    </div>
    {#if password === null}
      <p class="text-quiet">{texts.accountDetail.thisAccountHasNoPassword}</p>
    {:else if "unreadable" in password}
      <p>
        <StatusBadge kind="wrong" text={texts.accountDetail.unreadable} />
        {texts.accountDetail.signingInWithItIs(password.unreadable)}
      </p>
    {:else}
      <RecordDrawing segments={password.segments} />
      <dl class="mt-4 flex flex-wrap gap-x-10 gap-y-2">
        <div>
          <dt class="text-quiet text-sm">{texts.accountDetail.oneCheckTakes}</dt>
          <dd>
            {#if password.millisecondsHere !== null}{texts.accountDetail.about(
                Math.round(password.millisecondsHere),
              )}{/if}
            {bytes(password.memoryBytes)}
          </dd>
        </div>
        <div>
          <dt class="text-quiet text-sm">{texts.accountDetail.passwordSet}</dt>
          <dd><Ago at={password.setAt} /></dd>
        </div>
        <div>
          <dt class="text-quiet text-sm">{texts.accountDetail.recordMade}</dt>
          <dd><Ago at={password.recordMadeAt} /></dd>
        </div>
      </dl>
    {/if}
  </section>

  <div class="mt-8"><Throttled accountId={account.id} /></div>

  <section class="mt-8" aria-labelledby="sessions-heading">
    <h2 id="sessions-heading" class="mb-3 text-lg font-semibold">{texts.accountDetail.sessions}</h2>
    <SessionRows list={sessions} ended={() => void load()} />
  </section>

  <section class="mt-8" aria-labelledby="journal-heading">
    <h2 id="journal-heading" class="mb-3 text-lg font-semibold">{texts.accountDetail.journal}</h2>
    <JournalRows list={journal} />
  </section>

  <section class="mt-8" aria-labelledby="row-heading">
    <h2 id="row-heading" class="mb-3 text-lg font-semibold">{texts.accountDetail.asStored}</h2>
    <div class="border-line bg-slab overflow-x-auto rounded-lg border">
      <table class="w-full text-left">
        <caption class="sr-only">{texts.accountDetail.theAccountsRowsColumnBy}</caption>
        <thead class="text-quiet border-line border-b text-sm"
          ><tr
            ><th class="px-4 py-2 font-medium">{texts.accountDetail.table}</th><th
              class="px-4 py-2 font-medium">{texts.accountDetail.column}</th
            ><th class="px-4 py-2 font-medium">{texts.accountDetail.value}</th></tr
          ></thead
        >
        <tbody>
          {#each detail.row as { table, column, value } (`${table}.${column}`)}
            <tr class="border-line border-b last:border-0">
              <td class="mono text-quiet px-4 py-1">{table}</td>
              <td class="mono px-4 py-1">{column}</td>
              <td class="mono px-4 py-1 break-all"
                >{#if value === null}<span class="text-quiet">{texts.accountDetail.null}</span
                  >{:else}{value}{/if}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  </section>
{/if}
