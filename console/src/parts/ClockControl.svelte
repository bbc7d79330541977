<script lang="ts">
  /** Development only: moves the service's clock, so that expiry can be tried without waiting. */
  import { routes } from "virtual:routes";
  import { call } from "../lib/page.ts";
  import { exact } from "../lib/time.ts";

  const MINUTE = 60_000;
  const STEPS = [
    ["+11 min", 11 * MINUTE],
    ["+31 min", 31 * MINUTE],
    ["+1 day", 1_440 * MINUTE],
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
    aria-label="The service's clock"
  >
    <span title={exact(now)}
      >clock {movedBy === 0 ? "not moved" : `moved by ${Math.round(movedBy / MINUTE)} min`}</span
    >
    {#each STEPS as [word, milliseconds] (word)}
      <button
        type="button"
        class="border-line bg-slab min-h-6 rounded border px-2 py-0.5"
        aria-label="Move the clock by {word}"
        onclick={() => advance(milliseconds)}>{word}</button
      >
    {/each}
    {#if movedBy !== 0}
      <button
        type="button"
        class="border-line bg-slab min-h-6 rounded border px-2 py-0.5"
        onclick={async () => take(await call(routes.resetClock))}>Set it right</button
      >
    {/if}
  </div>
{/if}
