<script lang="ts">
  /** The frame of the people's pages: the site's mark and name, one column, one question. */
  import type { Snippet } from "svelte";
  import { page, title } from "../lib/page.ts";
  import { texts } from "../texts/texts.ts";
  import Mark from "./Mark.svelte";

  interface Props {
    heading: string;
    /** What happens next, in a sentence. */
    next?: string;
    children: Snippet;
    wide?: boolean;
    /** Of heading and sentence, where it is not the page's (WCAG 3.1.2). */
    lang?: string | undefined;
  }
  const { heading, next, children, wide = false, lang }: Props = $props();
</script>

<svelte:head><title>{title(heading)}</title></svelte:head>

<div class={["mx-auto flex min-h-dvh flex-col px-5 py-8 sm:py-14", wide ? "max-w-3xl" : "max-w-md"]}>
  <header class="mb-8 flex items-center gap-3">
    {#if page.site.logo === null}<Mark />{:else}<img
        src={page.site.logo}
        alt=""
        class="h-8 w-auto max-w-40"
      />{/if}
    <span class="text-lg font-semibold">{page.site.name}</span>
  </header>
  <main class="grow">
    <h1 {lang} class="text-2xl font-semibold tracking-tight">{heading}</h1>
    {#if next}<p {lang} class="text-quiet mt-2">{next}</p>{/if}
    <div class="mt-6">{@render children()}</div>
  </main>
  <footer class="text-quiet mt-12 flex flex-wrap gap-x-4 gap-y-1 text-sm">
    <span>{texts.personFrame.accountsByLucchetto}</span>
    {#if page.mode === "development"}<span>{texts.personFrame.developmentMode}</span>{/if}
    {#if page.passwordRulesOff}<strong class="text-rust">{texts.personFrame.passwordRulesAreOff}</strong>{/if}
  </footer>
</div>
