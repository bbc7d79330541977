<script lang="ts">
  import "./routes.ts";
  import { Router } from "sv-router";
  import { later } from "./lib/later.ts";
  import { stayLive } from "./lib/live.ts";
  import { page } from "./lib/page.ts";
  import Later from "./parts/Later.svelte";

  stayLive();
</script>

{#if page.problem}
  <Later load={later.problemPage} heading={page.problem.title} props={{ problem: page.problem }} />
{:else}
  <Router base={page.basePath === "" ? undefined : page.basePath} />
{/if}
