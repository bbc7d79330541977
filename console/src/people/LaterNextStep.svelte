<script lang="ts">
  /** What a sign-in wants beside its first proof, loaded when it is come to; in a file of its own as `LaterMailStep` is. */
  import type { ComponentProps } from "svelte";
  import NotLoaded from "../parts/NotLoaded.svelte";
  import { texts } from "../texts/texts.ts";
  import type NextStep from "./NextStep.svelte";

  const props: ComponentProps<typeof NextStep> = $props();
</script>

{#await import("./NextStep.svelte") then { default: Step }}
  <Step {...props} />
{:catch}
  <NotLoaded heading={texts.signIn.signIn} />
{/await}
