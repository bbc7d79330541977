<script lang="ts">
  /** What a scheme would cost on this machine: measured on demand, as a plot of time against cost and as a table. */
  import type { HashTuning } from "@lucchetto/contract";
  import type { ChartConfiguration } from "chart.js";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { bytes } from "../lib/bytes.ts";
  import { Loader } from "../lib/loader.svelte.ts";
  import { operate } from "../lib/operate.svelte.ts";
  import { call } from "../lib/page.ts";
  import type { PlotColours } from "../lib/plot.ts";
  import { axis, commonOptions } from "../lib/plot.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Choice from "../parts/Choice.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import NumberField from "../parts/NumberField.svelte";
  import Plot from "../parts/Plot.svelte";
  import Progress from "../parts/Progress.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  const ALGORITHMS = (["scrypt", "argon2id", "pbkdf2-sha256", "pbkdf2-sha512"] as const).map(
    (name) => [name, name] as const,
  );
  const ASK_EVERY = 700;

  let algorithm: (typeof ALGORITHMS)[number][0] = $state("scrypt");
  let target = $state(250);
  let memory = $state(64);
  let tuning = $state.raw<HashTuning | null>(null);
  const loader = new Loader();
  const best = $derived(tuning?.rows.find(({ recommended }) => recommended));

  async function ask(begin = false): Promise<void> {
    await loader.run(async () => {
      const body = { algorithm, targetMilliseconds: target, memoryBytes: memory * 2 ** 20 };
      tuning = (await (begin ? operate(routes.beginHashTuning, { body }) : call(routes.showHashTuning))).body;
      if (tuning.state === "measuring") setTimeout(() => void ask(), ASK_EVERY);
    });
  }
  onMount(() => ask());

  /** Each candidate a point: to the right what a guess costs an attacker, upwards what a sign-in takes here. */
  function points({ rows, targetMilliseconds }: HashTuning) {
    return (colours: PlotColours): ChartConfiguration => {
      const kind = (
        label: string,
        colour: string,
        style: "circle" | "rectRot" | "triangle",
        taken: typeof rows,
      ) => ({
        label,
        data: taken.map(({ attackerCost, median }) => ({ x: attackerCost, y: median })),
        backgroundColor: colour,
        borderColor: colour,
        pointStyle: style,
        pointRadius: 7,
        pointHoverRadius: 9,
      });
      const most = Math.max(...rows.map(({ attackerCost }) => attackerCost)) * 1.1;
      return {
        type: "scatter",
        data: {
          datasets: [
            kind(
              "present",
              colours.brass,
              "rectRot",
              rows.filter((row) => row.present),
            ),
            kind(
              texts.tuning.recommended,
              colours.verdigris,
              "circle",
              rows.filter((row) => row.recommended && !row.present),
            ),
            kind(
              "others",
              colours.quiet,
              "circle",
              rows.filter((row) => !row.present && !row.recommended && !row.belowFloor),
            ),
            kind(
              texts.tuning.tooWeak,
              colours.rust,
              "triangle",
              rows.filter((row) => row.belowFloor && !row.present),
            ),
            {
              label: texts.tuning.wantedMs(targetMilliseconds ?? 0),
              data: [
                { x: 0, y: targetMilliseconds ?? 0 },
                { x: most, y: targetMilliseconds ?? 0 },
              ],
              showLine: true,
              borderColor: colours.ink,
              borderDash: [6, 4],
              borderWidth: 1,
              pointRadius: 0,
              pointStyle: "line" as const,
            },
          ].filter(({ data }) => data.length > 0),
        },
        options: {
          ...commonOptions(colours),
          plugins: {
            legend: {
              position: "bottom",
              labels: { usePointStyle: true, color: colours.quiet, font: { family: colours.font } },
            },
            tooltip: {
              callbacks: {
                label: ({ parsed }) =>
                  rows.find((row) => row.attackerCost === parsed.x && row.median === parsed.y)?.scheme ?? "",
              },
            },
          },
          scales: {
            x: {
              ...axis(colours, texts.tuning.costOfAGuessTo),
              min: 0,
              max: most,
            },
            y: { ...axis(colours, texts.tuning.msPerSignInHere), beginAtZero: true },
          },
        },
      };
    };
  }
</script>

<section class="border-line bg-slab mt-6 rounded-lg border p-4" aria-labelledby="tuning">
  <h2 id="tuning" class="text-lg font-semibold">{texts.tuning.whatASchemeCostsHere}</h2>
  <FormProblem problem={loader.problem} />
  <form
    class="mt-3 flex flex-wrap items-end gap-4"
    onsubmit={(event) => {
      event.preventDefault();
      void ask(true);
    }}
  >
    <Choice name="algorithm" label={texts.tuning.algorithm} choices={ALGORITHMS} bind:value={algorithm} />
    <NumberField name="target" label={texts.tuning.millisecondsASignInMay} max={10_000} bind:value={target} />
    <NumberField name="memory" label={texts.tuning.mibOfMemoryItMay} max={1_024} bind:value={memory} />
    <ActionButton type="submit" disabled={tuning?.state === "measuring"}
      >{texts.tuning.measureOnThisMachine}</ActionButton
    >
  </form>
  <div aria-live="polite" class="mt-3">
    {#if tuning?.state === "measuring"}
      <Progress
        label={texts.tuning.measuring(tuning.algorithm, tuning.done, tuning.steps)}
        done={tuning.done}
        total={tuning.steps}
      />
    {:else if tuning?.state === "done"}
      {#if best === undefined}
        <p>{texts.tuning.productionAllowsNoneOfThese}</p>
      {:else}
        {#if !best.withinTarget}
          <p>
            {texts.tuning.noSchemeThatProductionAccepts(tuning.targetMilliseconds, Math.ceil(best.median))}
          </p>
        {/if}
      {/if}
      {#if best?.present}
        <p>{texts.tuning.theCurrentSchemeIsThe}</p>
      {:else if best !== undefined}
        <p>
          <Interpolate text={texts.tuning.inTheConfigurationUnder}
            >{#snippet place()}<code>passwords.hashing</code>{/snippet}{#snippet line()}<code
                >scheme: {best.scheme}</code
              >{/snippet}</Interpolate
          >
        </p>
      {/if}
    {:else}
      <p class="text-quiet">
        {texts.tuning.nothingHasBeenMeasuredYet}
        <code>npx lucchetto hash tune</code>
      </p>
    {/if}
  </div>
  {#if tuning?.state === "done"}
    <div class="mt-4">
      <Plot label={texts.tuning.timeOfASignIn} configure={points(tuning)} />
    </div>
    <div class="mt-4 overflow-x-auto">
      <table class="w-full text-left">
        <caption class="sr-only">{texts.tuning.measuredSchemes}</caption>
        <thead class="text-quiet border-line border-b text-sm">
          <tr>
            {#each [texts.tuning.scheme, texts.tuning.memory, texts.tuning.median, "95 %", texts.tuning.signInsASecond, texts.tuning.attackersCost, texts.tuning.note] as word (word)}
              <th scope="col" class="px-3 py-2 font-medium whitespace-nowrap">{word}</th>
            {/each}
          </tr>
        </thead>
        <tbody>
          {#each tuning.rows as row (row.scheme)}
            <tr class="border-line border-b last:border-0">
              <td class="px-3 py-2"><code>{row.scheme}</code></td>
              <td class="px-3 py-2">{bytes(row.memoryBytes)}</td>
              <td class="px-3 py-2">{Math.round(row.median)} {texts.tuning.milliseconds}</td>
              <td class="px-3 py-2">{Math.round(row.p95)} {texts.tuning.milliseconds}</td>
              <td class="px-3 py-2">{row.perSecond.toFixed(1)}</td>
              <td class="px-3 py-2">{row.attackerCost.toFixed(2)} ×</td>
              <td class="px-3 py-2 text-sm">
                {#if row.recommended}<span class="text-verdigris font-medium"
                    >{row.withinTarget ? texts.tuning.useThis : texts.tuning.nearest}</span
                  >{/if}
                {#if row.present}<span class="text-brass font-medium">{texts.tuning.current}</span>{/if}
                {#if row.belowFloor}<span class="text-rust">{texts.tuning.weakerThanProductionAllows}</span
                  >{/if}
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
</section>
