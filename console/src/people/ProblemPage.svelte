<script lang="ts">
  /** What a problem means and what to do. */
  import type { PageState } from "@lucchetto/contract";
  import { at, page } from "../lib/page.ts";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";
  import { texts } from "../texts/texts.ts";

  const { problem }: { problem: NonNullable<PageState["problem"]> } = $props();
  /** In the page's language where it has one; the service says it in English. */
  const own = $derived(lazy.problemPages[problem.code]);
  const said = $derived(own ?? problem);
  /** Details are the service's in any case. */
  const english = page.language === "en" ? undefined : "en";
  const lang = $derived(own === undefined ? english : undefined);
</script>

<PersonFrame heading={said.title} next={said.meaning} {lang}>
  <h2 class="text-lg font-semibold">{texts.problemPage.whatToDo}</h2>
  <p {lang} class="mt-1">{said.remedy}</p>
  {#if problem.detail !== undefined}
    <p lang={english} class="bg-slab border-line mt-4 rounded-md border px-3 py-2 text-sm break-words">
      {problem.detail}
    </p>
  {/if}
  <p class="text-quiet mt-6 text-sm">
    {texts.problemPage.programsKnowThisProblemAs} <code>{problem.code}</code>.
  </p>
  <p class="mt-6"><a href={at("/account")}>{texts.problemPage.yourAccount}</a></p>
</PersonFrame>
