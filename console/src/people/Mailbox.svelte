<script lang="ts">
  /** Development only: the mail that would have been sent, without signing in. */
  import type { MailboxItem } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { List } from "../lib/list.svelte.ts";
  import { call } from "../lib/page.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Ago from "../parts/Ago.svelte";
  import ClockControl from "../parts/ClockControl.svelte";
  import Disclosure from "../parts/Disclosure.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import MailStatus from "../parts/MailStatus.svelte";
  import MailView from "../parts/MailView.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  const list = new List<MailboxItem>(
    async (cursor) => (await call(routes.listDevelopmentMailbox, { query: { cursor, limit: 10 } })).body,
  );
  const load = async (id: string) => (await call(routes.showDevelopmentMail, { params: { id } })).body;
  void list.begin();
</script>

<PersonFrame heading={texts.mailbox.mailbox} next={texts.mailbox.mailCaughtHereInsteadOf} wide>
  <div class="mb-4 flex flex-wrap items-center gap-4">
    <ActionButton onclick={() => list.begin()}>{texts.mailbox.refresh}</ActionButton>
    <ClockControl />
  </div>
  <FormProblem problem={list.problem} />
  {#if list.loaded && list.items.length === 0}
    <p class="border-line text-quiet rounded-lg border border-dashed px-6 py-10">
      {texts.mailbox.noMailYetRegisterOr}
    </p>
  {/if}
  <ul class="space-y-4">
    {#each list.items as mail, index (mail.id)}
      <li class="border-line bg-slab rounded-lg border p-4">
        <Disclosure open={index === 0}>
          {#snippet head()}
            <span class="text-lg font-semibold">{mail.subject}</span>
            <span class="text-quiet block text-sm">
              <Interpolate text={texts.mailbox.to}
                >{#snippet address()}<code>{mail.to}</code>{/snippet}</Interpolate
              >, <Ago at={mail.sentAt} /> · <MailStatus {mail} />
            </span>
          {/snippet}
          <MailView {mail} {load} />
        </Disclosure>
      </li>
    {/each}
  </ul>
  {#if list.next !== null}
    <ActionButton class="mt-4" onclick={() => list.more()}>{texts.mailbox.showMore}</ActionButton>
  {/if}
</PersonFrame>
