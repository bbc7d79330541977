<script lang="ts">
  /** A rehearsal as a walk that fills itself: a path with a mark for each step. */
  import type { RehearsalShown } from "@lucchetto/contract";
  import { consoleTexts as texts } from "../texts/console.ts";

  const { steps }: { steps: RehearsalShown["steps"] } = $props();

  const MARKS = { waiting: "", running: "…", passed: "✓", failed: "✗", "left-out": "–" } as const;
  const LOOKS = {
    waiting: "border-line bg-paper text-quiet border-dashed",
    running: "border-brass bg-slab text-brass motion-safe:animate-pulse",
    passed: "border-verdigris bg-verdigris text-paper",
    failed: "border-rust bg-rust text-paper",
    "left-out": "border-line bg-paper text-quiet",
  } as const;
</script>

<ol class="mt-4">
  {#each steps as step, index (step.id)}
    <li class="relative flex gap-4 pb-4 last:pb-0">
      {#if index < steps.length - 1}
        <span
          aria-hidden="true"
          class={[
            "absolute top-6 bottom-0 left-3 border-l-2",
            step.state === "waiting" || step.state === "running"
              ? "border-line border-dashed"
              : "border-brass",
          ]}
        ></span>
      {/if}
      <span
        aria-hidden="true"
        class={[
          "z-10 flex h-6 w-6 shrink-0 items-center justify-center rounded-full border-2 text-sm font-bold",
          LOOKS[step.state],
        ]}>{MARKS[step.state]}</span
      >
      <div class="min-w-0">
        <p class={[step.state === "waiting" ? "text-quiet" : "font-medium"]}>
          {step.title}
          <span
            class={[
              "ml-1 text-sm font-normal",
              step.state === "failed"
                ? "text-rust"
                : step.state === "passed"
                  ? "text-verdigris"
                  : "text-quiet",
            ]}>{texts.rehearsal.state[step.state]}</span
          >
        </p>
        {#if step.state === "failed"}
          <dl class="mt-1 grid grid-cols-[max-content_1fr] gap-x-4 gap-y-1 text-sm">
            <dt class="text-quiet">{texts.rehearsal.expected}</dt>
            <dd>{step.expected}</dd>
            <dt class="text-quiet">{texts.rehearsal.instead}</dt>
            <dd class="wrap-anywhere">{step.came}</dd>
            <dt class="text-quiet">{texts.rehearsal.toFixIt}</dt>
            <dd>{step.remedy}</dd>
          </dl>
        {:else if step.came !== ""}
          <p class="text-quiet text-sm wrap-anywhere">{step.came}</p>
        {/if}
      </div>
    </li>
  {/each}
</ol>
