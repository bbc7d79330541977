<script lang="ts">
  /** How well a password withstands guessing, while it is typed: five stones, a word, and one line of advice. */
  import { estimateStrength, STRENGTH_GRADES } from "@lucchetto/core/strength";
  import { onMount } from "svelte";
  import { page } from "../lib/page.ts";
  import { texts } from "../texts/texts.ts";

  interface Props {
    typed: string;
    names: ReadonlyArray<string | null | undefined>;
  }
  const { typed, names }: Props = $props();
  let common: readonly string[] = $state.raw([]);

  onMount(async () => {
    // Some kilobytes that the page does not wait for.
    common = (await import("virtual:common-passwords")).default;
  });

  const known = $derived(
    [...names, page.site.name].flatMap((name) => (name ? [name, ...name.split(/[^\p{L}\p{M}\d]+/u)] : [])),
  );
  const strength = $derived(estimateStrength(typed, { common, names: known }));
  const level = $derived(STRENGTH_GRADES.indexOf(strength.grade));
  const colour = $derived(["bg-rust", "bg-rust", "bg-brass", "bg-verdigris", "bg-verdigris"][level]);
</script>

<div class="mt-2 min-h-12" aria-live="polite">
  {#if typed !== ""}
    <div class="flex items-center gap-1" aria-hidden="true">
      {#each STRENGTH_GRADES as grade, index (grade)}
        <span class={["h-1.5 w-8 rounded-full", index <= level ? colour : "bg-line"]}></span>
      {/each}
    </div>
    <p class="text-quiet mt-1 text-sm">
      <span class="text-ink font-medium">{texts.strengthMeter.grades[strength.grade]}</span>
      {texts.strengthMeter.againstGuessing}{#if strength.advice}&nbsp;{texts.strengthMeter.advice[
          strength.advice
        ]}{/if}
    </p>
  {/if}
</div>
