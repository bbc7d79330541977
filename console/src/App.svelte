<script lang="ts">
  import "./routes.ts";
  import { Router } from "sv-router";
  import { stayLive } from "./lib/live.ts";
  import { page } from "./lib/page.ts";
  import NotLoaded from "./parts/NotLoaded.svelte";

  stayLive();
</script>

{#if page.problem}
  {#await import("./people/ProblemPage.svelte") then { default: ProblemPage }}
    <ProblemPage problem={page.problem} />
  {:catch}
    <NotLoaded heading={page.problem.title} />
  {/await}
{:else}
  <Router base={page.basePath === "" ? undefined : page.basePath} />
{/if}
