<script lang="ts">
  /** Users tables that were taken in: how each went, how their people's first sign-ins go, and what is still to be wrapped. */
  import type { Intake } from "@lucchetto/contract";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Loader } from "../lib/loader.svelte.ts";
  import { at, call, title } from "../lib/page.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";
  import IntakeCard from "./IntakeCard.svelte";

  /** Milliseconds between two looks while something goes on. */
  const LOOK_EVERY = 10_000;

  let intakes = $state<Intake[] | null>(null);
  const loader = new Loader();
  const goesOn = $derived(intakes?.some(({ state, sealed }) => state === "running" || sealed > 0) ?? false);

  async function load(): Promise<void> {
    await loader.run(async () => {
      intakes = (await call(routes.listIntakes)).body.items;
    });
  }

  onMount(() => {
    void load();
    const timer = setInterval(() => {
      if (goesOn && document.visibilityState === "visible") void load();
    }, LOOK_EVERY);
    return () => clearInterval(timer);
  });
</script>

<svelte:head><title>{title(texts.movingIn.movingIn)}</title></svelte:head>
<div class="mb-4 flex flex-wrap items-baseline justify-between gap-4">
  <h1 class="text-xl font-semibold">{texts.movingIn.movingIn}</h1>
  <span class="flex flex-wrap items-center gap-4">
    <a href={at("/console/moving-in/new")}>{texts.moveIn.importAUsersTable}</a>
    <ActionButton onclick={load}>{texts.movingIn.refresh}</ActionButton>
  </span>
</div>
<p class="text-quiet mb-4 max-w-3xl">{texts.movingIn.usersTablesImportedFromOther}</p>
<FormProblem problem={loader.problem} />
{#if intakes !== null && intakes.length === 0}
  <div class="border-line text-quiet rounded-lg border border-dashed px-6 py-10">
    <p>{texts.movingIn.nothingHasBeenImportedYet}</p>
    <pre
      class="bg-slab text-ink mt-4 overflow-x-auto rounded p-4 font-mono text-sm">npx lucchetto import plan guests.csv --to plan.yaml
npx lucchetto import check plan.yaml --known aldo@brina.example
npx lucchetto import run plan.yaml --known aldo@brina.example</pre>
  </div>
{:else if intakes !== null}
  <ul class="grid gap-4">
    {#each intakes as intake (intake.id)}<li><IntakeCard {intake} corrected={load} /></li>{/each}
  </ul>
{/if}
