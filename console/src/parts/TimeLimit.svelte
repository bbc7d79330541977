<script lang="ts">
  /** Until when a sign-in in progress waits; said again, also to screen readers, when little of it is left (WCAG 2.2.1). */
  import { onMount } from "svelte";
  import { millisecondsUntil } from "../lib/page.ts";
  import { texts } from "../texts/texts.ts";

  interface Props {
    expiresAt: string;
    lapsed: () => void;
  }
  const { expiresAt, lapsed }: Props = $props();
  /** Milliseconds that still do for typing a code. */
  const LITTLE = 60_000;
  let isNear = $state(false);
  const until = $derived(new Date(expiresAt).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" }));

  onMount(() => {
    const timer = setInterval(() => {
      const left = millisecondsUntil(expiresAt);
      isNear = left <= LITTLE;
      if (left <= 0) lapsed();
    }, 1_000);
    return () => clearInterval(timer);
  });
</script>

<p class="text-quiet mt-6 text-sm">{texts.nextStep.youHaveUntil(until)}</p>
<p role="status" class="mt-2 text-sm font-medium">{isNear ? texts.nextStep.littleTimeLeft : ""}</p>
