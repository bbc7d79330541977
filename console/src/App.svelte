<script lang="ts">
  import "./routes.ts";
  import { Router } from "sv-router";
  import { later } from "./lib/lazy.ts";
  import { stayLive } from "./lib/live.ts";
  import { page } from "./lib/page.ts";
  import Lazy from "./parts/Lazy.svelte";

  stayLive();
</script>

{#if page.problem}
  <Lazy load={later.problemPage} heading={page.problem.title} props={{ problem: page.problem }} />
{:else}
  <Router base={page.basePath === "" ? undefined : page.basePath} />
{/if}
