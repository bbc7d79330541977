<script lang="ts">
  /** A short code to be entered elsewhere, with the warning that it is for nobody else. */
  import { texts } from "../texts/texts.ts";
  import Fill from "./Fill.svelte";

  const { code }: { code: string } = $props();
</script>

<p
  class="border-brass bg-slab rounded-lg border-2 px-6 py-5 text-center font-mono text-2xl tracking-widest"
  role="status"
>
  {code.slice(0, 3)}
  {code.slice(3)}
</p>
<p class="mt-6">
  <Fill text={texts.codeShown.itWorksOnlyThere}
    >{#snippet warning()}<strong>{texts.codeShown.tellItToNobody}</strong>{/snippet}</Fill
  >
</p>
