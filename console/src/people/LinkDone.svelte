<script lang="ts">
  /** A link that has done its work. */
  import type { LinkLook } from "@lucchetto/contract";
  import { at } from "../lib/page.ts";
  import PersonFrame from "../parts/PersonFrame.svelte";

  const { look }: { look: LinkLook } = $props();
  const words = $derived(
    {
      reset: {
        heading: "Your new password is set",
        next: "All sessions of the account are ended, here and elsewhere.",
        link: "Sign in with it",
      },
      verify: {
        heading: "Your address is confirmed",
        next: "The account is yours.",
        link: "Sign in",
      },
      invite: { heading: "Welcome", next: "Your account is ready.", link: "Sign in" },
      "change-email": {
        heading: "Your new address is in use",
        next: `Mail goes to ${look.newEmail} from now on; the old address was told.`,
        link: "Your account",
      },
      "undo-change": {
        heading: "The account is yours again",
        next: `Mail goes to ${look.newEmail} again. All sessions are ended, and the old password does nothing any more.`,
        link: "Sign in",
      },
      "sign-in": { heading: "Done", next: "", link: "Sign in" },
    }[look.purpose],
  );
  const target = $derived(
    look.purpose === "change-email" ? "/account" : `/sign-in?name=${encodeURIComponent(look.name)}`,
  );
</script>

<PersonFrame heading={words.heading} next={words.next}>
  <p role="status"><a href={at(target)}>{words.link}</a></p>
</PersonFrame>
