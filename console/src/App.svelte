<script lang="ts">
  import "./routes.ts";
  import { Router } from "sv-router";
  import { page } from "./lib/page.ts";
  import ProblemPage from "./people/ProblemPage.svelte";
</script>

{#if page.problem}
  <ProblemPage problem={page.problem} />
{:else}
  <Router base={page.basePath === "" ? undefined : page.basePath} />
{/if}
