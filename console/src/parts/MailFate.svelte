<script lang="ts">
  /** What became of a mail, in a word and a sentence. */
  import type { MailboxItem } from "@lucchetto/contract";
  import Ago from "./Ago.svelte";
  import StateWord from "./StateWord.svelte";

  const { mail }: { mail: MailboxItem } = $props();
  const STATES = {
    waiting: ["open", "waiting"],
    sent: ["well", "sent"],
    "given-up": ["wrong", "given up"],
    caught: ["well", "caught here"],
    held: ["wrong", "held back"],
  } as const;
  const WHY: Readonly<Record<string, string>> = {
    "address-limit": "over the limit of mails an hour to this address",
    "notice-limit": "ten notices of this kind in an hour are enough",
    "too-many-links": "five links of this kind live already",
  };
</script>

<StateWord kind={STATES[mail.state][0]} text={STATES[mail.state][1]} />
{#if mail.heldBecause !== null}
  <span class="text-quiet block text-sm">{WHY[mail.heldBecause] ?? mail.heldBecause}</span>
{/if}
{#if mail.nextTryAt !== null && mail.tries > 0}
  <span class="text-quiet block text-sm"
    >again <Ago at={mail.nextTryAt} />, after {mail.tries} {mail.tries === 1 ? "try" : "tries"}</span
  >
{/if}
{#if mail.lastAnswer !== null}
  <span class="text-quiet block text-sm break-words">{mail.lastAnswer}</span>
{/if}
