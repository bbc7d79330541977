<script lang="ts">
  /** What became of a mail, in a word and a sentence. */
  import type { MailboxItem } from "@lucchetto/contract";
  import { consoleTexts as texts } from "../texts/console.ts";
  import Ago from "./Ago.svelte";
  import Interpolate from "./Interpolate.svelte";
  import StatusBadge from "./StatusBadge.svelte";

  const { mail }: { mail: MailboxItem } = $props();
  const STATES = {
    waiting: ["open", texts.mailFate.waiting],
    sent: ["well", texts.mailFate.sent],
    "given-up": ["wrong", texts.mailFate.givenUp],
    caught: ["well", texts.mailFate.caughtHere],
    held: ["wrong", texts.mailFate.heldBack],
  } as const;
  const WHY: Readonly<Record<string, string>> = {
    "address-limit": texts.mailFate.overTheHourlyLimitOf,
    "notice-limit": texts.mailFate.tenNoticesOfThisKind,
    "too-many-links": texts.mailFate.fiveLinksOfThisKind,
  };
</script>

<StatusBadge kind={STATES[mail.state][0]} text={STATES[mail.state][1]} />
{#if mail.heldBecause !== null}
  <span class="text-quiet block text-sm">{WHY[mail.heldBecause] ?? mail.heldBecause}</span>
{/if}
{#if mail.nextTryAt !== null && mail.tries > 0}
  <span class="text-quiet block text-sm"
    ><Interpolate text={texts.mailFate.again(mail.tries)}
      >{#snippet when()}<Ago at={mail.nextTryAt} />{/snippet}</Interpolate
    ></span
  >
{/if}
{#if mail.lastAnswer !== null}
  <span class="text-quiet block text-sm break-words">{mail.lastAnswer}</span>
{/if}
