<script lang="ts">
  /** The mail log: what was sent, what waits and why, and in development what the built-in mailbox caught. */
  import type { MailboxItem } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { List } from "../lib/list.svelte.ts";
  import { call, page, title } from "../lib/page.ts";
  import Ago from "../parts/Ago.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import ListTable from "../parts/ListTable.svelte";
  import MailFate from "../parts/MailFate.svelte";
  import MailView from "../parts/MailView.svelte";

  const CHOICES = [
    ["", "all"],
    ["waiting", "waiting"],
    ["given-up", "given up"],
    ["held", "held back"],
    ["sent", "sent"],
    ["caught", "caught here"],
  ] as const;
  let chosen: (typeof CHOICES)[number][0] = $state("");
  let problem: string | null = $state(null);
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
    try {
      await call(routes.repeatMail, { params: { id } });
      problem = null;
      await list.begin();
    } catch (error) {
      problem = (error as Error).message;
    }
  }
  const shown = $derived(list.items.find(({ id }) => id === opened));
</script>

<svelte:head><title>{title("Mail")}</title></svelte:head>
<div class="mb-4 flex flex-wrap items-baseline justify-between gap-4">
  <h1 class="text-xl font-semibold">Mail</h1>
  <div class="flex flex-wrap items-center gap-3">
    <label class="flex items-center gap-2"
      >Show
      <select bind:value={chosen} class="border-line bg-slab rounded border px-3 py-1">
        {#each CHOICES as [value, word] (value)}<option {value}>{word}</option>{/each}
      </select>
    </label>
    <button type="button" class="border-line bg-slab rounded border px-3 py-1" onclick={() => list.begin()}
      >Look again</button
    >
  </div>
</div>
<p class="text-quiet mb-4">
  {page.mail === "smtp"
    ? "A mail that the server does not take is tried again for two days, or until its link has expired."
    : page.mail === "mailbox"
      ? "No mail server is configured: mail is caught here."
      : "No mail is sent here (mail: none)."}
</p>
<FormProblem {problem} />
{#if shown !== undefined}
  <section class="border-line bg-slab mb-6 rounded-lg border p-4" aria-label={shown.subject}>
    <div class="flex flex-wrap items-baseline justify-between gap-4">
      <h2 class="text-lg font-semibold">{shown.subject}</h2>
      <button
        type="button"
        class="border-line rounded border px-3 py-1 text-sm"
        onclick={() => (opened = null)}>Close</button
      >
    </div>
    <p class="text-quiet text-sm">to <code>{shown.to}</code>, <Ago at={shown.sentAt} /></p>
    {#key shown.id}<MailView mail={shown} {load} />{/key}
  </section>
{/if}
<ListTable {list} caption="Mails" head={["Subject", "To", "What became of it", "Language", "When", "Again"]}>
  {#snippet row(mail: MailboxItem)}
    <td class="px-4 py-2.5">
      <button type="button" class="text-link min-h-6 text-left underline" onclick={() => (opened = mail.id)}
        >{mail.subject}</button
      >
      <code class="text-quiet block text-sm">{mail.template}</code>
    </td>
    <td class="px-4 py-2.5 break-all">{mail.to}</td>
    <td class="px-4 py-2.5"><MailFate {mail} /></td>
    <td class="px-4 py-2.5">{mail.language}</td>
    <td class="px-4 py-2.5"><Ago at={mail.sentAt} /></td>
    <td class="px-4 py-2.5">
      {#if mail.state === "waiting" || mail.state === "given-up"}
        <button
          type="button"
          class="border-line min-h-6 rounded border px-3 py-1 text-sm"
          aria-label="Try now: “{mail.subject}” to {mail.to}"
          onclick={() => repeat(mail.id)}>Try now</button
        >
      {:else}–{/if}
    </td>
  {/snippet}
  {#snippet empty()}
    {#if chosen === ""}Mails stand here as they are written. Write one: <code
        >npx lucchetto account invite guest@brina.example</code
      >{:else}No mail is in that state.{/if}
  {/snippet}
</ListTable>
