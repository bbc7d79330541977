<script lang="ts">
  /** An id in the fixed-width face that a press copies. */
  import { texts } from "../texts/texts.ts";
  const { id, short = false }: { id: string; short?: boolean } = $props();
  let copied = $state(false);

  async function copy(): Promise<void> {
    await navigator.clipboard.writeText(id);
    copied = true;
    setTimeout(() => (copied = false), 1_500);
  }
</script>

<button
  type="button"
  onclick={copy}
  title={texts.copyableId.copy(id)}
  class="mono hover:bg-gray-100 dark:hover:bg-gray-700 min-h-6 rounded px-1 text-left break-all"
>
  {copied ? texts.copyableId.copied : short ? `…${id.slice(-8)}` : id}<span class="sr-only"
    >{texts.copyableId.copyHint}</span
  >
</button>
