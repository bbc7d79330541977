<script lang="ts">
  import { Router } from "sv-router";
  import { page } from "./lib/page.ts";
  import ProblemPage from "./people/ProblemPage.svelte";
  import "./routes.ts";
</script>

{#if page.problem}
  <ProblemPage problem={page.problem} />
{:else}
  <Router base={page.basePath === "" ? undefined : page.basePath} />
{/if}
