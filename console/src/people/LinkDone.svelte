<script lang="ts">
  /** A link that has done its work. */
  import type { LinkLook } from "@lucchetto/contract";
  import { onMount } from "svelte";
  import { withNext } from "../lib/next.ts";
  import { at } from "../lib/page.ts";
  import { session } from "../lib/session.svelte.ts";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import RecoveryCodes from "../parts/RecoveryCodes.svelte";
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";
  import { texts } from "../texts/texts.ts";

  const { look, codes }: { look: LinkLook; codes: readonly string[] | null } = $props();
  onMount(async () => {
    await session.ask();
  });
  /** Whether whoever used the link is still signed in here, to the link's own account. */
  const isIn = $derived(
    session.who.state === "signed-in" &&
      [session.who.account.email, session.who.account.username].includes(look.newEmail ?? look.name),
  );
  const words = $derived(
    {
      reset: {
        heading: texts.linkDone.yourNewPasswordIsSaved,
        next: texts.linkDone.youHaveBeenSignedOut,
        link: texts.linkDone.signInWithIt,
      },
      verify: {
        heading: texts.linkDone.yourAddressIsConfirmed,
        next: isIn ? texts.linkDone.theAccountIsYoursSignedIn : texts.linkDone.theAccountIsYours,
        link: texts.linkDone.signIn,
      },
      invite: {
        heading: texts.linkDone.welcome,
        next: texts.linkDone.yourAccountIsReady,
        link: texts.linkDone.signIn,
      },
      "change-email": {
        heading: texts.linkDone.yourNewAddressIsIn,
        next: texts.linkDone.mailNowGoesTo(look.newEmail),
        link: texts.linkDone.yourAccount,
      },
      "undo-change": {
        heading: texts.linkDone.yourAccountIsRestored,
        next: texts.linkDone.mailGoesToAgain(look.newEmail),
        link: texts.linkDone.signIn,
      },
      "undo-factor": {
        heading: lazy.linkUndone.factor,
        next: lazy.linkUndone.factorNext,
        link: lazy.linkUndone.signIn,
      },
      "undo-erase": {
        heading: lazy.linkUndone.erasing,
        next: lazy.linkUndone.erasingNext,
        link: lazy.linkUndone.signIn,
      },
      "sign-in": { heading: texts.linkDone.done, next: "", link: texts.linkDone.signIn },
    }[look.purpose],
  );
  /** In another browser, and when the application has forgotten the request, it is asked anew: its own sign-in leads on from there. */
  const anew = $derived(
    look.returnTo === null && look.purpose !== "change-email" && look.app !== null && look.app.home !== null
      ? { name: look.app.name, address: look.app.home }
      : null,
  );
  const target = $derived.by(() => {
    if (look.purpose === "change-email") return at("/account");
    if (anew !== null) return anew.address;
    return isIn
      ? (look.returnTo ?? at("/account"))
      : withNext("/sign-in", { name: look.name }, look.returnTo);
  });
  const link = $derived.by(() => {
    if (anew !== null) return texts.linkDone.goOnTo(anew.name);
    return isIn && look.purpose !== "change-email" ? texts.linkDone.goOn : words.link;
  });
</script>

<PersonFrame heading={words.heading} next={words.next} app={look.app}>
  {#if codes !== null}<RecoveryCodes {codes} site={look.name} />{/if}
  <!-- Whether one signs in or goes on is known in a moment. -->
  <p role="status">
    {#if session.who.state !== "unknown"}<a href={target} target="_self">{link}</a>{/if}
  </p>
</PersonFrame>
