<script lang="ts">
  /** A box to tick, and what it means. */
  import { Checkbox } from "flowbite-svelte";
  import type { Snippet } from "svelte";

  interface Props {
    name: string;
    checked: boolean;
    children: Snippet;
  }
  let { name, checked = $bindable(), children }: Props = $props();
</script>

<Checkbox
  {name}
  bind:checked
  class="accent-brass text-brass dark:bg-slab bg-slab me-3 mt-0.5 size-5 shrink-0 self-start rounded border-gray-400 dark:border-gray-500"
  classes={{ div: "text-ink dark:text-ink min-h-6 text-base font-normal" }}
>
  {@render children()}
</Checkbox>
