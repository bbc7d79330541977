<script lang="ts">
  /** Where to look for a mail. In development it lies in the built-in mailbox. */
  import { at, page } from "../lib/page.ts";
</script>

{#if page.mail === "mailbox"}
  <p class="mt-4">
    In development mail goes nowhere: it lies in the <a href={at("/mailbox")} target="_blank">mailbox</a>.
  </p>
{:else}
  <p class="text-quiet mt-4 text-sm">Nothing comes? Look among unwanted mail, and check what you typed.</p>
{/if}
