<script lang="ts">
  /** An application asks for a proof of the last minutes: it is shown here, and then it goes on where it was asked. */
  import { ownPathOr } from "@lucchetto/contract/pages";
  import { onMount } from "svelte";
  import { at, go, page } from "../lib/page.ts";
  import { session } from "../lib/session.svelte.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import Reauthenticate from "../parts/Reauthenticate.svelte";
  import { texts } from "../texts/texts.ts";

  onMount(() => session.askOrSignIn());

  const asked = new URLSearchParams(window.location.search).get("next");
  const next = ownPathOr(at("/account"), asked, page.basePath);
  const goOn = async (): Promise<void> => go(next);
</script>

{#if session.who.state === "signed-in"}
  {@const { account } = session.who}
  <PersonFrame
    heading={texts.reauthentication.isItStillYou}
    next={page.visitedApp
      ? texts.reauthentication.asksYouToConfirm(page.visitedApp.name)
      : texts.reauthentication.pleaseConfirmBeforeYouContinue}
  >
    <Reauthenticate name={account.email ?? account.username} shown={goOn} {next} />
    <p class="mt-6"><a href={at("/account")}>{texts.reauthentication.yourAccount}</a></p>
  </PersonFrame>
{:else if session.who.state === "failed"}
  <PersonFrame
    heading={texts.reauthentication.isItStillYou}
    next={texts.reauthentication.thisCannotBeShownRight}
  >
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
