<script lang="ts">
  /** A button that sends a mail again, after a pause that is counted down. */
  import { onDestroy, onMount } from "svelte";
  import { sentenceOf } from "../lib/sentence.ts";
  import { texts } from "../texts/texts.ts";
  import ActionButton from "./ActionButton.svelte";

  interface Props {
    send: () => Promise<void>;
    /** Seconds before it may be pressed. */
    pause?: number;
  }
  const { send, pause = 30 }: Props = $props();
  let left = $state(0);
  let said: string | null = $state(null);
  let timer: ReturnType<typeof setInterval> | undefined;

  function count(): void {
    left = pause;
    clearInterval(timer);
    timer = setInterval(() => {
      left -= 1;
      if (left <= 0) clearInterval(timer);
    }, 1_000);
  }
  onMount(count);
  onDestroy(() => clearInterval(timer));

  async function again(): Promise<void> {
    if (left > 0) return;
    try {
      await send();
      said = texts.sendAgain.sentAgainOnlyTheNewest;
      count();
    } catch (error) {
      said = sentenceOf(error);
    }
  }
</script>

<p class="mt-4">
  <ActionButton aria-disabled={left > 0} onclick={again}>
    {left > 0 ? texts.sendAgain.sendAgainInS(left) : texts.sendAgain.sendAgain}
  </ActionButton>
</p>
<p class="text-quiet mt-2 text-sm" role="status">{said ?? ""}</p>
