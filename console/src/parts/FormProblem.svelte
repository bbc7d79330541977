<script lang="ts">
  /** What is wrong with a form as a whole, announced and given the focus. */
  import { Alert } from "flowbite-svelte";

  const { problem }: { problem: string | null } = $props();
</script>

{#if problem}
  <Alert
    color="red"
    data-form-problem
    tabindex={-1}
    params={{ duration: 0 }}
    class="border-rust text-rust dark:text-rust rounded-md border-l-4 bg-red-50 px-4 py-3 text-base dark:bg-red-900/40"
  >
    <strong>✕</strong>
    {problem}
  </Alert>
{/if}
