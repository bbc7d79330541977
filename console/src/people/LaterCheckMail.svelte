<script lang="ts">
  /** That a mail waits to be opened, loaded when it is come to; in a file of its own as `LaterMailStep` is. */
  import type { ComponentProps } from "svelte";
  import NotLoaded from "../parts/NotLoaded.svelte";
  import { texts } from "../texts/texts.ts";
  import type CheckMail from "./CheckMail.svelte";

  const props: ComponentProps<typeof CheckMail> = $props();
</script>

{#await import("./CheckMail.svelte") then { default: Step }}
  <Step {...props} />
{:catch}
  <NotLoaded heading={texts.checkMail.checkYourMail} />
{/await}
