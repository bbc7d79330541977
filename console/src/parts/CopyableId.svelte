<script lang="ts">
  /** An id in the fixed-width face that a press copies. */
  import { Tooltip } from "flowbite-svelte";
  import { texts } from "../texts/texts.ts";
  import ActionButton from "./ActionButton.svelte";
  const { id, short = false }: { id: string; short?: boolean } = $props();
  let copied = $state(false);

  async function copy(): Promise<void> {
    await navigator.clipboard.writeText(id);
    copied = true;
    setTimeout(() => (copied = false), 1_500);
  }
</script>

<ActionButton
  kind="quiet"
  class="mono text-ink dark:text-ink rounded px-1 text-left break-all hover:bg-gray-100 dark:hover:bg-gray-700"
  onclick={copy}
>
  {copied ? texts.copyableId.copied : short ? `…${id.slice(-8)}` : id}<span class="sr-only"
    >{texts.copyableId.copyHint}</span
  >
</ActionButton>
<Tooltip
  class="bg-slab text-ink border-line dark:bg-slab dark:text-ink border text-sm"
  transitionParams={{ duration: 0 }}>{texts.copyableId.copy(id)}</Tooltip
>
