<script lang="ts">
  /** The mail log: what was sent, what waits and why, and in development what the built-in mailbox caught. */
  import type { MailboxItem } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { List } from "../lib/list.svelte.ts";
  import { Loader } from "../lib/loader.svelte.ts";
  import { operate } from "../lib/operate.svelte.ts";
  import { call, page, title } from "../lib/page.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Ago from "../parts/Ago.svelte";
  import Choice from "../parts/Choice.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import ListTable from "../parts/ListTable.svelte";
  import MailStatus from "../parts/MailStatus.svelte";
  import MailView from "../parts/MailView.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  const CHOICES = [
    ["", texts.mail.all],
    ["waiting", texts.mail.waiting],
    ["given-up", texts.mail.givenUp],
    ["held", texts.mail.heldBack],
    ["sent", texts.mail.sent],
    ["caught", texts.mail.caughtHere],
  ] as const;
  let chosen: (typeof CHOICES)[number][0] = $state("");
  const loader = new Loader();
  let opened: string | null = $state(null);
  const list = new List<MailboxItem>(
    async (cursor) =>
      (await call(routes.listMailbox, { query: { cursor, state: chosen === "" ? undefined : chosen } })).body,
  );
  const load = async (id: string) => (await call(routes.showMail, { params: { id } })).body;
  $effect(() => {
    void chosen;
    void list.begin();
  });

  async function repeat(id: string): Promise<void> {
    await loader.run(async () => {
      await operate(routes.repeatMail, { params: { id } });
      await list.begin();
    });
  }
  const shown = $derived(list.items.find(({ id }) => id === opened));
</script>

<svelte:head><title>{title(texts.mail.mail)}</title></svelte:head>
<div class="mb-4 flex flex-wrap items-baseline justify-between gap-4">
  <h1 class="text-xl font-semibold">{texts.mail.mail}</h1>
  <div class="flex flex-wrap items-center gap-3">
    <Choice name="state" label={texts.mail.show} choices={CHOICES} isSmall bind:value={chosen} />
    <ActionButton onclick={() => list.begin()}>{texts.mail.refresh}</ActionButton>
  </div>
</div>
<p class="text-quiet mb-4">
  {page.mail === "smtp"
    ? texts.mail.ifTheMailServerRefuses
    : page.mail === "mailbox"
      ? texts.mail.noMailServerIsConfigured
      : texts.mail.thisSiteSendsNoMail}
</p>
<FormProblem problem={loader.problem} />
{#if shown !== undefined}
  <section class="border-line bg-slab mb-6 rounded-lg border p-4" aria-label={shown.subject}>
    <div class="flex flex-wrap items-baseline justify-between gap-4">
      <h2 class="text-lg font-semibold">{shown.subject}</h2>
      <ActionButton size="sm" onclick={() => (opened = null)}>{texts.mail.close}</ActionButton>
    </div>
    <p class="text-quiet text-sm">
      <Interpolate text={texts.mail.to}
        >{#snippet address()}<code>{shown?.to}</code>{/snippet}{#snippet when()}<Ago
            at={shown.sentAt}
          />{/snippet}</Interpolate
      >
    </p>
    {#key shown.id}<MailView mail={shown} {load} />{/key}
  </section>
{/if}
<ListTable
  {list}
  caption={texts.mail.mails}
  head={[
    texts.mail.subject,
    texts.mail.recipient,
    texts.mail.status,
    texts.mail.language,
    texts.mail.when,
    texts.mail.retry,
  ]}
>
  {#snippet row(mail: MailboxItem)}
    <td class="px-4 py-2.5">
      <ActionButton kind="text" class="text-left" onclick={() => (opened = mail.id)}
        >{mail.subject}</ActionButton
      >
      <code class="text-quiet block text-sm">{mail.template}</code>
    </td>
    <td class="px-4 py-2.5 break-all">{mail.to}</td>
    <td class="px-4 py-2.5"><MailStatus {mail} /></td>
    <td class="px-4 py-2.5">{mail.language}</td>
    <td class="px-4 py-2.5"><Ago at={mail.sentAt} /></td>
    <td class="px-4 py-2.5">
      {#if mail.state === "waiting" || mail.state === "given-up"}
        <ActionButton
          size="sm"
          aria-label={texts.mail.tryNowTo(mail.subject, mail.to)}
          onclick={() => repeat(mail.id)}>{texts.mail.tryNow}</ActionButton
        >
      {:else}–{/if}
    </td>
  {/snippet}
  {#snippet empty()}
    {#if chosen === ""}{texts.mail.mailsAppearHereAsThey}
      <code>npx lucchetto account invite guest@brina.example</code>{:else}{texts.mail
        .noMailHasThatStatus}{/if}
  {/snippet}
</ListTable>
