<script lang="ts">
  import "./routes.ts";
  import { Router } from "sv-router";
  import { stayLive } from "./lib/live.ts";
  import { page } from "./lib/page.ts";
  import ProblemPage from "./people/ProblemPage.svelte";

  stayLive();
</script>

{#if page.problem}
  <ProblemPage problem={page.problem} />
{:else}
  <Router base={page.basePath === "" ? undefined : page.basePath} />
{/if}
