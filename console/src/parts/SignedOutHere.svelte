<script lang="ts">
  /** The session has ended while the page was open: in another tab, elsewhere, or by itself. */
  import { withNext } from "../lib/next.ts";
  import { texts } from "../texts/texts.ts";
  import Interpolate from "./Interpolate.svelte";
  import PersonFrame from "./PersonFrame.svelte";

  const signInPath = withNext("/sign-in", {}, window.location.pathname + window.location.search);
</script>

<PersonFrame heading={texts.signedOutHere.youAreSignedOut} next={texts.signedOutHere.yourSessionHasEndedHere}>
  <p role="status">
    <Interpolate text={texts.signedOutHere.toComeBackToThis}
      >{#snippet signIn()}<a href={signInPath}>{texts.signedOutHere.signInAgain}</a>{/snippet}</Interpolate
    >
  </p>
</PersonFrame>
