<script lang="ts">
  /** The one main action of a page. */
  import { Button } from "flowbite-svelte";

  interface Props {
    text: string;
    busyText: string;
    busy: boolean;
  }
  const { text, busyText, busy }: Props = $props();
</script>

<Button
  type="submit"
  size="lg"
  aria-disabled={busy}
  class="bg-brass text-on-brass hover:bg-brass dark:bg-brass dark:text-on-brass dark:hover:bg-brass w-full text-base font-semibold hover:brightness-110 focus-within:ring-0"
>
  {busy ? busyText : text}
</Button>
