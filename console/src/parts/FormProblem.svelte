<script lang="ts">
  /** What is wrong with a form as a whole, announced and given the focus. */
  const { problem }: { problem: string | null } = $props();
</script>

<div aria-live="assertive">
  {#if problem}
    <p
      data-form-problem
      tabindex="-1"
      class="border-rust bg-red-50 text-rust dark:bg-red-900/40 rounded-md border-l-4 px-4 py-3"
    >
      <strong>✕</strong>
      {problem}
    </p>
  {/if}
</div>
