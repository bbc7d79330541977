<script lang="ts">
  /** The session has ended while the page was open: in another tab, elsewhere, or by itself. */
  import { at } from "../lib/page.ts";
  import PersonFrame from "./PersonFrame.svelte";

  const next = encodeURIComponent(window.location.pathname + window.location.search);
</script>

<PersonFrame heading="You are signed out" next="The session has ended, here or in another place.">
  <p role="status">
    <a href="{at('/sign-in')}?next={next}">Sign in again</a>, and you come back to this page.
  </p>
</PersonFrame>
