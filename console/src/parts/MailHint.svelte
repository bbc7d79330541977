<script lang="ts">
  /** Where to look for a mail. In development it lies in the built-in mailbox. */
  import { at, page } from "../lib/page.ts";
  import { texts } from "../texts/texts.ts";
  import Interpolate from "./Interpolate.svelte";
</script>

{#if page.mail === "mailbox"}
  <p class="mt-4">
    <Interpolate text={texts.mailHint.inDevelopmentNoMailIs}
      >{#snippet mailbox()}<a href={at("/mailbox")} target="_blank">{texts.mailHint.mailbox}</a
        >{/snippet}</Interpolate
    >
  </p>
{:else}
  <p class="text-quiet mt-4 text-sm">{texts.mailHint.noMailCheckYourSpam}</p>
{/if}
