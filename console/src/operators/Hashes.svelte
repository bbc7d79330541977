<script lang="ts">
  /** The hash fleet: how many records of which scheme, how that moved, and what a scheme would cost here. */
  import type { HashFleet } from "@lucchetto/contract";
  import type { ChartConfiguration } from "chart.js";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { bytes } from "../lib/bytes.ts";
  import { Loader } from "../lib/loader.svelte.ts";
  import { at, call, title } from "../lib/page.ts";
  import type { PlotColours } from "../lib/plot.ts";
  import { axis, commonOptions, dayInWords, share } from "../lib/plot.ts";
  import Ago from "../parts/Ago.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import Plot from "../parts/Plot.svelte";
  import StatusBadge from "../parts/StatusBadge.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";
  import Tuning from "./Tuning.svelte";

  let fleet = $state.raw<HashFleet | null>(null);
  const loader = new Loader();

  onMount(async () => {
    await loader.run(async () => {
      fleet = (await call(routes.showHashFleet)).body;
    });
  });

  /** Old digests make one band, whatever recipe made them. */
  function bandOf(scheme: string): string {
    if (scheme.startsWith("$sealed$")) return texts.hashes.sealedDigests;
    return scheme.includes(",recipe=") ? texts.hashes.wrappedDigests : scheme;
  }

  /** Bands over the days: the current scheme at the bottom, then the others by how many have them. */
  function bands({ days, configured }: HashFleet) {
    return (colours: PlotColours): ChartConfiguration => {
      const schemes = [...new Set(days.flatMap(({ counts }) => counts.map(({ scheme }) => bandOf(scheme))))];
      schemes.sort((left, right) => Number(right === configured) - Number(left === configured));
      const { stones } = colours;
      const colourOf = (scheme: string, index: number) =>
        scheme === configured ? colours.verdigris : (stones[(index - 1) % stones.length] ?? colours.quiet);
      return {
        type: "line",
        data: {
          labels: days.map(({ day }) => dayInWords(day)),
          datasets: schemes.map((scheme, index) => ({
            label: scheme === configured ? texts.hashes.configured(scheme) : scheme,
            data: days.map(({ counts }) =>
              counts
                .filter((count) => bandOf(count.scheme) === scheme)
                .reduce((sum, { records }) => sum + records, 0),
            ),
            fill: true,
            stepped: "middle" as const,
            pointRadius: 0,
            borderWidth: 1,
            borderColor: colourOf(scheme, index),
            backgroundColor: colourOf(scheme, index),
          })),
        },
        options: {
          ...commonOptions(colours),
          interaction: { mode: "index", intersect: false },
          scales: {
            x: { ...axis(colours, ""), title: { display: false }, grid: { display: false } },
            y: { ...axis(colours, "records"), stacked: true, beginAtZero: true },
          },
        },
      };
    };
  }
</script>

<svelte:head><title>{title(texts.hashes.hashes)}</title></svelte:head>
<h1 class="mb-4 text-xl font-semibold">{texts.hashes.hashes}</h1>
<FormProblem problem={loader.problem} />
{#if fleet !== null && fleet.total === 0}
  <p class="border-line text-quiet rounded-lg border border-dashed px-6 py-10">
    {texts.hashes.passwordRecordsAreCountedHere}
  </p>
{:else if fleet !== null}
  {@const { configured, older: olderOnes } = fleet}
  <p class="mb-4">
    <Interpolate
      text={texts.hashes.newRecordsAre(fleet.current, fleet.total, share(fleet.current, fleet.total))}
      >{#snippet scheme()}<code>{configured}</code>{/snippet}</Interpolate
    >
    {#if fleet.older === 0}
      {texts.hashes.noneIsOlder}
    {:else}
      <Interpolate text={texts.hashes.andRenewedWhenTheirOwners}
        >{#snippet older()}<a href={at("/console/accounts?scheme=older")}>{texts.hashes.older(olderOnes)}</a
          >{/snippet}</Interpolate
      >
    {/if}
  </p>
  <section class="border-line bg-slab rounded-lg border p-4" aria-labelledby="over-time">
    <h2 id="over-time" class="mb-2 text-lg font-semibold">{texts.hashes.dayByDay}</h2>
    <Plot
      label={texts.hashes.recordsOfEachSchemeOn(fleet.days.length, fleet.current, fleet.total)}
      configure={bands(fleet)}
    />
  </section>
  <div class="border-line bg-slab mt-6 overflow-x-auto rounded-lg border">
    <table class="w-full text-left">
      <caption class="sr-only">{texts.hashes.schemes}</caption>
      <thead class="text-quiet border-line border-b text-sm">
        <tr>
          {#each [texts.hashes.scheme, texts.hashes.records, texts.hashes.share, texts.hashes.memory, texts.hashes.state, texts.hashes.latestSignIn] as word (word)}
            <th scope="col" class="px-4 py-2 font-medium whitespace-nowrap">{word}</th>
          {/each}
        </tr>
      </thead>
      <tbody>
        {#each fleet.schemes as one (one.scheme)}
          <tr class="border-line border-b last:border-0">
            <td class="px-4 py-2.5">
              <a href={at(`/console/accounts?scheme=${encodeURIComponent(one.scheme)}`)}
                ><code>{one.scheme}</code></a
              >
              {#if one.recipe !== null}<span class="text-quiet block text-sm"
                  ><Interpolate text={texts.hashes.oldDigestsOf}
                    >{#snippet recipe()}<code>{one.recipe}</code>{/snippet}</Interpolate
                  ></span
                >{/if}
            </td>
            <td class="px-4 py-2.5">{one.records}</td>
            <td class="px-4 py-2.5">{share(one.records, fleet.total)}</td>
            <td class="px-4 py-2.5">{one.memoryBytes === null ? "–" : bytes(one.memoryBytes)}</td>
            <td class="px-4 py-2.5">
              <StatusBadge kind={one.current ? "well" : "old"} text={one.current ? "current" : "older"} />
              {#if one.belowFloor}<span class="text-quiet block text-sm"
                  >{texts.hashes.weakerThanProductionAllows}</span
                >{/if}
            </td>
            <td class="px-4 py-2.5"><Ago at={one.lastSignInAt} /></td>
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
{/if}
<Tuning />
