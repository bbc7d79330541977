<script lang="ts">
  /** Asking for a link by mail. What is said next is the same whoever was named. */
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { inWords } from "../lib/minutes.ts";
  import { at, call, page } from "../lib/page.ts";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MailHint from "../parts/MailHint.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import SendAgain from "../parts/SendAgain.svelte";

  const form = new Form();
  let identifier = $state(new URLSearchParams(window.location.search).get("name") ?? "");
  let asked = $state(false);

  async function ask(): Promise<void> {
    await call(routes.askForLink, { body: { purpose: "reset", identifier: identifier.trim() } });
  }
  async function send(): Promise<void> {
    await ask();
    asked = true;
  }
  const judge = (): Record<string, string> =>
    identifier.trim() === "" ? { identifier: "Say who you are." } : {};
</script>

{#if asked}
  <PersonFrame heading="Check your mail" next="If {identifier.trim()} is known here, a link is on its way.">
    <p role="status">The link works for {inWords(page.linkMinutes.reset)}, and once.</p>
    <MailHint />
    <SendAgain send={ask} />
    <p class="mt-2">
      <button type="button" class="text-link underline" onclick={() => (asked = false)}
        >Type another name</button
      >
    </p>
    <p class="mt-2"><a href={at("/sign-in")}>Back to signing in</a></p>
  </PersonFrame>
{:else if page.mail === "none"}
  <PersonFrame heading="Forgotten your password?" next="No mail is sent here.">
    <p>Ask the people who run the site for a new password.</p>
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
