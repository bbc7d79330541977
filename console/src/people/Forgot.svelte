<script lang="ts">
  /** Asking for a link by mail. What is said next is the same whoever was named. */
  import { routes } from "@lucchetto/contract";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call, page } from "../lib/page.ts";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";

  const form = new Form();
  let identifier = $state(new URLSearchParams(window.location.search).get("name") ?? "");
  let asked = $state(false);

  async function send(): Promise<void> {
    await call(routes.askForLink, { body: { purpose: "reset", identifier: identifier.trim() } });
    asked = true;
  }
  const judge = (): Record<string, string> =>
    identifier.trim() === "" ? { identifier: "Say who you are." } : {};
</script>

{#if asked}
  <PersonFrame heading="Check your mail" next="If the name is known here, a link is on its way.">
    <p role="status">
      The link works for 30 minutes, and once. Nothing comes? Look among unwanted mail, and check the name.
    </p>
    {#if page.mode === "development"}
      <p class="mt-4">
        In development mail goes nowhere: it lies in the <a href={at("/mailbox")}>mailbox</a>.
      </p>
    {/if}
    <p class="mt-6">
      <button type="button" class="text-link underline" onclick={() => (asked = false)}>Ask again</button>
    </p>
    <p class="mt-2"><a href={at("/sign-in")}>Back to signing in</a></p>
  </PersonFrame>
{:else}
  <PersonFrame
    heading="Forgotten your password?"
    next="You get a link by mail with which you choose a new one."
  >
    <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
      <FormProblem problem={form.problem} />
      <Field
        name="identifier"
        label="E-mail address or username"
        bind:value={identifier}
        autocomplete="username"
        error={form.errors["identifier"]}
      />
      <MainButton text="Send me a link" busyText="Asking …" busy={form.sending} />
    </form>
    <p class="mt-6"><a href={at("/sign-in")}>Back to signing in</a></p>
  </PersonFrame>
{/if}
