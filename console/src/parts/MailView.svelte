<script lang="ts">
  /** One mail: as a reader's program shows it, as text, and as it goes over the wire. */
  import type { MailboxItem, MailSource } from "@lucchetto/contract";
  import { mailHtmlPath } from "@lucchetto/contract/pages";
  import { at } from "../lib/page.ts";
  import { sentenceOf } from "../lib/sentence.ts";
  import { consoleTexts as texts } from "../texts/console.ts";
  import ActionButton from "./ActionButton.svelte";

  interface Props {
    mail: MailboxItem;
    load: (id: string) => Promise<MailSource>;
  }
  const { mail, load }: Props = $props();
  const VIEWS = ["shown", "text", "source"] as const;
  let view: (typeof VIEWS)[number] = $state("shown");
  let source = $state("");

  async function choose(chosen: (typeof VIEWS)[number]): Promise<void> {
    view = chosen;
    if (chosen === "source" && source === "") {
      try {
        ({ source } = await load(mail.id));
      } catch (error) {
        source = sentenceOf(error);
      }
    }
  }
</script>

{#if mail.html === ""}
  <p class="text-quiet mt-3 text-sm">
    {mail.state === "sent" ? texts.mailView.itWasSentItsContents : texts.mailView.itsContentsAreNotShown}
  </p>
{:else}
  <div
    class="mt-3 flex flex-wrap items-center gap-2"
    role="group"
    aria-label={texts.mailView.howTheMailIsShown}
  >
    {#each VIEWS as one (one)}
      <ActionButton
        size="sm"
        aria-pressed={view === one}
        class={view === one ? "bg-gray-200 font-semibold dark:bg-gray-700" : undefined}
        onclick={() => choose(one)}>{texts.mailView[one]}</ActionButton
      >
    {/each}
    {#if mail.links[0]}<ActionButton kind="main" class="ml-auto" href={mail.links[0]}
        >{texts.mailView.openTheLink}</ActionButton
      >{/if}
  </div>
  {#if view === "shown"}
    <iframe
      src={at(mailHtmlPath(mail.id))}
      title={texts.mailView.theMailAsPeopleSee}
      class="border-line mt-3 h-[26rem] w-full rounded border"
      loading="lazy"
    ></iframe>
  {:else}
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <pre
      tabindex="0"
      class="bg-paper border-line mt-3 max-h-[32rem] overflow-auto rounded border p-3 font-mono text-sm whitespace-pre-wrap">{view ===
      "text"
        ? mail.text
        : source}</pre>
  {/if}
{/if}
