<script lang="ts">
  /** A plot in the colours of the page, drawn anew when the theme or the data changes. What it shows also stands beside it in words. */
  import type { ChartConfiguration } from "chart.js";
  import { Chart, registerables } from "chart.js";
  import { onMount } from "svelte";
  import type { PlotColours } from "../lib/plot.ts";
  import { coloursOf } from "../lib/plot.ts";

  interface Props {
    /** What it shows, in a sentence. */
    label: string;
    configure: (colours: PlotColours) => ChartConfiguration;
  }
  const { label, configure }: Props = $props();
  let canvas: HTMLCanvasElement;
  let theme = $state(0);

  Chart.register(...registerables);

  onMount(() => {
    const dark = window.matchMedia("(prefers-color-scheme: dark)");
    const redraw = (): void => {
      theme += 1;
    };
    dark.addEventListener("change", redraw);
    return () => dark.removeEventListener("change", redraw);
  });

  $effect(() => {
    void theme;
    const chart = new Chart(canvas, configure(coloursOf(canvas)));
    return () => chart.destroy();
  });
</script>

<div class="relative h-64 overflow-hidden" role="img" aria-label={label}>
  <canvas bind:this={canvas} aria-hidden="true"></canvas>
</div>
