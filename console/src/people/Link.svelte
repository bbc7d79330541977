<script lang="ts">
  /** Where every mailed link lands. The secret is in the fragment, which no server sees; opening the page changes nothing. */
  import { ProblemError, routes } from "@lucchetto/contract";
  import { onMount } from "svelte";
  import { Form } from "../lib/form.svelte.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import { at, call } from "../lib/page.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";

  const form = new Form();
  const secret = window.location.hash.slice(1);
  let name: string | null = $state(null);
  let fault: { title: string; detail: string } | null = $state(null);
  let done = $state(false);
  let password = $state("");
  let repeated = $state("");

  onMount(async () => {
    // Read once, and gone from the address bar and the history.
    window.history.replaceState(null, "", at("/link"));
    try {
      name = (await call(routes.lookAtLink, { body: { secret } })).body.name;
    } catch (error) {
      take(error);
    }
  });

  function take(error: unknown): void {
    if (error instanceof ProblemError) fault = error.problem;
    else fault = { title: "It cannot be shown at the moment", detail: (error as Error).message };
  }

  async function send(): Promise<void> {
    try {
      await call(routes.redeemLink, { body: { secret, password } });
      done = true;
      // Password managers take a change of the page's address as success.
      window.history.replaceState(null, "", at("/link?done"));
    } catch (error) {
      if (error instanceof ProblemError && error.problem.code.startsWith("link-")) take(error);
      else throw error;
    }
  }
</script>

{#if done}
  <PersonFrame
    heading="Your new password is set"
    next="All sessions of the account are ended, here and elsewhere."
  >
    <p role="status"><a href={at("/sign-in")}>Sign in with it</a></p>
  </PersonFrame>
{:else if fault !== null}
  <PersonFrame heading={fault.title} next={fault.detail}>
    <p><a href={at("/forgot")}>Ask for a new link</a></p>
    <p class="mt-2"><a href={at("/sign-in")}>Sign in</a></p>
  </PersonFrame>
{:else if name !== null}
  <PersonFrame heading="Choose a new password" next="All sessions of the account end when it is set.">
    <form
      class="space-y-5"
      novalidate
      onsubmit={(event) => form.submit(event, () => judgeNewPassword(password, repeated), send)}
    >
      <FormProblem problem={form.problem} />
      <WhosePassword {name} />
      <p>For <strong class="break-all">{name}</strong></p>
      <NewPasswordFields bind:password bind:repeated errors={form.errors} names={[name]} />
      <MainButton text="Set it" busyText="Setting …" busy={form.sending} />
    </form>
  </PersonFrame>
{/if}
