<script lang="ts">
  /** Something that one should know, beside what one is doing. */
  import { Alert } from "flowbite-svelte";
  import type { Snippet } from "svelte";

  interface Props {
    class?: string;
    children: Snippet;
  }
  const { class: more = "", children }: Props = $props();
</script>

<Alert
  color="gray"
  role="status"
  params={{ duration: 0 }}
  class={[
    "border-brass text-ink dark:text-ink rounded-md border-l-4 bg-transparent px-4 py-2 text-base dark:bg-transparent",
    more,
  ]}
>
  {@render children()}
</Alert>
