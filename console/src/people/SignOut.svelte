<script lang="ts">
  import { ProblemError } from "@lucchetto/contract/pages";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call, page } from "../lib/page.ts";
  import { sentenceOf } from "../lib/sentence.ts";
  import { tellTabs } from "../lib/tabs.ts";
  import { forgetTyped } from "../lib/typed.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import { texts } from "../texts/texts.ts";

  const form = new Form();
  const request = page.signOut;
  const landing = request?.returnTo ?? at(page.landings.afterSignOut);
  let problem: string | null = $state(null);

  async function signOut(): Promise<void> {
    try {
      await call(routes.signOut);
    } catch (error) {
      // Nobody is signed in any more: that is what was wanted.
      if (!(error instanceof ProblemError && error.problem.code === "not-signed-in")) throw error;
    }
    forgetTyped();
    tellTabs();
    window.location.replace(landing);
  }

  onMount(() => {
    if (request?.automatic !== true) return;
    signOut().catch((error: unknown) => (problem = sentenceOf(error)));
  });
</script>

{#if request?.automatic && problem === null}
  <PersonFrame heading={texts.signOut.signingOut} next={texts.signOut.takenBackTo(request.appName)}>
    <span></span>
  </PersonFrame>
{:else}
  <PersonFrame heading={texts.signOut.signOut} next={texts.signOut.youWillBeSignedOut(page.site.name)}>
    <form class="space-y-5" onsubmit={(event) => form.submit(event, () => ({}), signOut)}>
      <FormProblem problem={form.problem ?? problem} />
      <MainButton text={texts.signOut.button} busyText={texts.signOut.signingOut} busy={form.sending} />
    </form>
    <p class="mt-6"><a href={at("/account")}>{texts.signOut.staySignedIn}</a></p>
  </PersonFrame>
{/if}
