<script lang="ts">
  /** For password managers: whose password stands in the form. People are told elsewhere on the page. */
  const { name }: { name: string | null } = $props();
</script>

<input
  type="text"
  name="username"
  autocomplete="username"
  value={name}
  readonly
  tabindex="-1"
  aria-hidden="true"
  class="sr-only"
/>
