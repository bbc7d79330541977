<script lang="ts">
  /** Development only: the mail that would have been sent, without signing in. */
  import type { MailboxItem } from "@lucchetto/contract";
  import { routes } from "@lucchetto/contract";
  import { List } from "../lib/list.svelte.ts";
  import { call } from "../lib/page.ts";
  import Ago from "../parts/Ago.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import StateWord from "../parts/StateWord.svelte";

  const list = new List<MailboxItem>(
    async (cursor) => (await call(routes.listDevelopmentMailbox, { query: { cursor } })).body,
  );
  void list.begin();
</script>

<PersonFrame
  heading="Mailbox"
  next="Mail that was caught in place of being sent. Development mode only."
  wide
>
  <p class="mb-4">
    <button type="button" class="border-line bg-slab rounded border px-3 py-1" onclick={() => list.begin()}
      >Look again</button
    >
  </p>
  <FormProblem problem={list.problem} />
  {#if list.loaded && list.items.length === 0}
    <p class="border-line text-quiet rounded-lg border border-dashed px-6 py-10">
      Nothing was sent yet. Ask for a link at “Forgotten your password?”.
    </p>
  {/if}
  <ul class="space-y-4">
    {#each list.items as mail (mail.id)}
      <li class="border-line bg-slab rounded-lg border p-4">
        <h2 class="text-lg font-semibold">{mail.subject}</h2>
        <p class="text-quiet text-sm">
          to <code>{mail.to}</code>, <Ago at={mail.sentAt} />
          {#if mail.state === "held"}<StateWord
              kind="wrong"
              text="held back: over the limit of its address"
            />{/if}
        </p>
        <pre class="mt-3 font-sans whitespace-pre-wrap">{mail.text}</pre>
        {#each mail.links as link (link)}
          <p class="mt-2"><a href={link} class="break-all">Open the link</a></p>
        {/each}
      </li>
    {/each}
  </ul>
  {#if list.next !== null}
    <button
      type="button"
      class="border-line bg-slab mt-4 rounded-lg border px-4 py-2"
      onclick={() => list.more()}>Show more</button
    >
  {/if}
</PersonFrame>
