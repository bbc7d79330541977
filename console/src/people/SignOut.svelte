<script lang="ts">
  import { ProblemError } from "@lucchetto/contract/pages";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call, page } from "../lib/page.ts";
  import { tellTabs } from "../lib/tabs.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";

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
    tellTabs();
    window.location.replace(landing);
  }

  onMount(() => {
    if (request?.automatic !== true) return;
    signOut().catch((error: unknown) => (problem = (error as Error).message));
  });
</script>

{#if request?.automatic && problem === null}
  <PersonFrame heading="Signing out …" next="You go back to {request.appName} at once.">
    <span></span>
  </PersonFrame>
{:else}
  <PersonFrame
    heading="Sign out?"
    next="You are signed out here and in every application of {page.site.name}."
  >
    <form class="space-y-5" onsubmit={(event) => form.submit(event, () => ({}), signOut)}>
      <FormProblem problem={form.problem ?? problem} />
      <MainButton text="Sign out" busyText="Signing out …" busy={form.sending} />
    </form>
    <p class="mt-6"><a href={at("/account")}>Stay signed in</a></p>
  </PersonFrame>
{/if}
