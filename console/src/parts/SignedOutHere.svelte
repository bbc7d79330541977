<script lang="ts">
  /** The session has ended while the page was open: in another tab, elsewhere, or by itself. */
  import { at } from "../lib/page.ts";
  import { texts } from "../texts/texts.ts";
  import Interpolate from "./Interpolate.svelte";
  import PersonFrame from "./PersonFrame.svelte";

  const next = encodeURIComponent(window.location.pathname + window.location.search);
</script>

<PersonFrame heading={texts.signedOutHere.youAreSignedOut} next={texts.signedOutHere.yourSessionHasEndedHere}>
  <p role="status">
    <Interpolate text={texts.signedOutHere.toComeBackToThis}
      >{#snippet signIn()}<a href="{at('/sign-in')}?next={next}">{texts.signedOutHere.signInAgain}</a
        >{/snippet}</Interpolate
    >
  </p>
</PersonFrame>
