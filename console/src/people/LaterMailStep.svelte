<script lang="ts">
  /**
   * The step of a mailed link, loaded when it is come to: most sign in without its weight. It stands in a file of its own,
   * because the router takes every page whose code holds an `import()` for one that is itself to be loaded.
   */
  import type { ComponentProps } from "svelte";
  import NotLoaded from "../parts/NotLoaded.svelte";
  import { texts } from "../texts/texts.ts";
  import type MailStep from "./MailStep.svelte";

  const props: ComponentProps<typeof MailStep> = $props();
</script>

{#await import("./MailStep.svelte") then { default: Step }}
  <Step {...props} />
{:catch}
  <NotLoaded heading={texts.signIn.signIn} />
{/await}
