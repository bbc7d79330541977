<script lang="ts">
  /** The one main action of a page. */
  import ActionButton from "./ActionButton.svelte";

  interface Props {
    text: string;
    busyText: string;
    busy: boolean;
  }
  const { text, busyText, busy }: Props = $props();
</script>

<ActionButton kind="main" size="lg" type="submit" aria-disabled={busy} class="w-full">
  {busy ? busyText : text}
</ActionButton>
