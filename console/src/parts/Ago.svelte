<script lang="ts">
  /** A time as people say it, with the exact one on hover. */
  import { ago, exact } from "../lib/time.ts";
  import { texts } from "../texts/texts.ts";

  const { at }: { at: string | null } = $props();
</script>

{#if at === null}<span class="text-quiet">{texts.ago.never}</span>{:else}<time
    datetime={at}
    title={exact(at)}
    class="whitespace-nowrap">{ago(at)}</time
  >{/if}
