<script lang="ts">
  /** The frame of the people's pages: the site's mark and name, one column, one question. */
  import type { VisitedApp } from "@lucchetto/contract";
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
    /** The application that somebody came from, where the page itself does not say. */
    app?: VisitedApp | null;
  }
  const { heading, next, children, wide = false, lang, app }: Props = $props();
  /** Where people came from; where that is not known, every application that they can go to. */
  const homes = $derived.by(() => {
    const from = app ?? page.visitedApp;
    const all = from === undefined || from === null ? (page.apps ?? []) : [from];
    return all.flatMap(({ name, home }) => (home === null ? [] : [{ name, address: home }]));
  });
  const home = $derived(homes.length === 1 ? homes[0] : undefined);
</script>

<svelte:head><title>{title(heading)}</title></svelte:head>

<div class={["mx-auto flex min-h-dvh flex-col px-5 py-8 sm:py-14", wide ? "max-w-3xl" : "max-w-md"]}>
  <header class="mb-8 flex flex-wrap items-center gap-x-3 gap-y-2">
    {#if page.site.logo === null}<Mark />{:else}<img
        src={page.site.logo}
        alt=""
        class="h-8 w-auto max-w-40"
      />{/if}
    {#if home === undefined}<span class="text-lg font-semibold">{page.site.name}</span>{:else}<a
        class="text-lg font-semibold text-inherit no-underline hover:underline"
        href={home.address}>{page.site.name}</a
      >{/if}
    {#if homes.length > 0}
      <nav class="ml-auto flex flex-wrap gap-x-4 gap-y-1 text-sm" aria-label={texts.personFrame.applications}>
        {#each homes as { name, address } (address)}
          <a href={address}>{texts.personFrame.backTo(name)}</a>
        {/each}
      </nav>
    {/if}
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
