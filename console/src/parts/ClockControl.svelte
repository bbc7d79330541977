<script lang="ts">
  /** Development only: moves the service's clock, so that expiry can be tried without waiting. */
  import { routes } from "virtual:routes";
  import { call } from "../lib/page.ts";
  import { exact } from "../lib/time.ts";
  import { consoleTexts as texts } from "../texts/console.ts";
  import ActionButton from "./ActionButton.svelte";

  const MINUTE = 60_000;
  const STEPS = [
    [texts.clockControl.minutes(11), 11 * MINUTE],
    [texts.clockControl.minutes(31), 31 * MINUTE],
    [texts.clockControl.oneDay, 1_440 * MINUTE],
  ] as const;
  let now: string | null = $state(null);
  let movedBy = $state(0);

  function take({ body }: { body: { now: string; movedBy: number } }): void {
    ({ now, movedBy } = body);
  }
  const advance = async (milliseconds: number) =>
    take(await call(routes.advanceClock, { body: { milliseconds } }));
  void call(routes.showClock).then(take, () => undefined);
</script>

{#if now !== null}
  <div
    class="text-quiet flex flex-wrap items-center gap-2 text-sm"
    role="group"
    aria-label={texts.clockControl.theServicesClock}
  >
    <span title={exact(now)}
      >{texts.clockControl.clock}
      {movedBy === 0
        ? texts.clockControl.notMoved
        : texts.clockControl.movedByMin(Math.round(movedBy / MINUTE))}</span
    >
    {#each STEPS as [word, milliseconds] (word)}
      <ActionButton
        size="sm"
        aria-label={texts.clockControl.moveTheClockBy(word)}
        onclick={() => advance(milliseconds)}>{word}</ActionButton
      >
    {/each}
    {#if movedBy !== 0}
      <ActionButton size="sm" onclick={async () => take(await call(routes.resetClock))}
        >{texts.clockControl.reset}</ActionButton
      >
    {/if}
  </div>
{/if}
