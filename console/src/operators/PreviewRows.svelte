<script lang="ts">
  /** The first rows of an upload, with what is secret covered. */
  import type { DraftedPlan } from "@lucchetto/contract";
  import { consoleTexts as texts } from "../texts/console.ts";

  const { preview }: { preview: DraftedPlan["preview"] } = $props();
  /** A wide table is scrolled with the keyboard, too. */
  const reachable = { tabindex: 0 };
</script>

<div
  class="border-line overflow-x-auto rounded border"
  role="region"
  aria-label={texts.moveIn.firstRows}
  {...reachable}
>
  <table class="w-full text-left text-sm">
    <caption class="sr-only">{texts.moveIn.firstRows}</caption>
    <thead class="bg-gray-100 text-quiet dark:bg-gray-800">
      <tr
        >{#each preview.columns as column (column)}<th
            scope="col"
            class="px-3 py-2 font-medium whitespace-nowrap">{column}</th
          >{/each}</tr
      >
    </thead>
    <tbody>
      {#each preview.rows as row, index (index)}
        <tr class="border-line border-t"
          >{#each row as value, place (place)}<td class="px-3 py-1.5 whitespace-nowrap">{value ?? "–"}</td
            >{/each}</tr
        >
      {/each}
    </tbody>
  </table>
</div>
