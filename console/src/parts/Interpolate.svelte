<script lang="ts">
  /** A text with places in braces, each filled with a snippet or a text: `<Interpolate text={texts.…} {life} />`. */
  import type { Snippet } from "svelte";

  let { text, ...places }: { text: string } & Record<string, Snippet | string> = $props();
  const parts = $derived(text.split(/\{(\w+)\}/));
</script>

{#each parts as part, index (index)}
  {@const place = index % 2 === 0 ? part : places[part]}
  {#if typeof place === "function"}{@render place()}{:else}{place ?? ""}{/if}
{/each}
