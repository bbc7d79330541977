<script lang="ts">
  /** Begins a sign-in anew, towards where the person wanted to go. The page is loaded again: it may be this very one. */
  import { at, go } from "../lib/page.ts";
  import { texts } from "../texts/texts.ts";

  const { class: spacing = "mt-2" }: { class?: string } = $props();
  const here = window.location.pathname;
  const again = here === at("/sign-in") ? here + window.location.search : at("/sign-in");

  function begin(event: MouseEvent): void {
    event.preventDefault();
    go(again);
  }
</script>

<p class={spacing}><a href={again} onclick={begin}>{texts.nextStep.startOver}</a></p>
