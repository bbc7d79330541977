<script lang="ts">
  /** A sign-in as a row of proofs: those shown, then those wanted. */
  import { texts } from "../texts/texts.ts";
  interface Props {
    shown: readonly string[];
    wanted: readonly string[];
  }
  const { shown, wanted }: Props = $props();
  const steps = $derived([
    ...shown.map((name) => ({ name, isShown: true })),
    ...wanted.map((name) => ({ name, isShown: false })),
  ]);
</script>

<ol class="flex flex-wrap items-center gap-2" aria-label={texts.proofRow.stepsOfThisSignIn}>
  {#each steps as { name, isShown }, index (name)}
    <li
      class={[
        index > 0 && "before:bg-line before:absolute before:-left-8 before:h-px before:w-6 relative ml-6",
        "flex items-center gap-2 rounded-full border px-3 py-1 text-sm",
        isShown ? "border-verdigris text-verdigris" : "border-brass text-ink font-medium",
      ]}
      aria-current={isShown ? undefined : "step"}
    >
      <span aria-hidden="true">{isShown ? "✓" : "○"}</span>
      {name}
      <span class="sr-only">{isShown ? texts.proofRow.done : texts.proofRow.stillNeeded}</span>
    </li>
  {/each}
</ol>
