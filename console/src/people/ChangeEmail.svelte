<script lang="ts">
  /** Another address for the account: a link goes to it, and it counts when the link is used. */
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call } from "../lib/page.ts";
  import { ProofFirst } from "../lib/proof-first.svelte.ts";
  import { session } from "../lib/session.svelte.ts";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MailHint from "../parts/MailHint.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import Reauthenticate from "../parts/Reauthenticate.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";

  const form = new Form();
  let email = $state("");
  let asked = $state(false);

  onMount(async () => {
    await session.askOrSignIn();
  });

  const proof = new ProofFirst(async () => {
    await call(routes.changeEmail, { body: { email: email.trim() } });
    asked = true;
  });
  const judge = (): Record<string, string> =>
    email.trim() === "" ? { email: "Enter the new address." } : {};
</script>

{#if asked}
  <PersonFrame heading="Check your mail" next="If the address is free, a link is on its way to it.">
    <p role="status">
      <strong class="break-all">{email.trim()}</strong> becomes your address when you open the link. Until then
      nothing changes.
    </p>
    <MailHint />
    <p class="mt-6"><a href={at("/account")}>Your account</a></p>
  </PersonFrame>
{:else if session.who.state === "signed-in"}
  {@const { account } = session.who}
  <PersonFrame
    heading="Change your address"
    next="A link goes to the new address, and a notice to the old one."
  >
    {#if proof.wanted}
      <Reauthenticate name={account.email ?? account.username} shown={proof.goOn} />
      <p class="mt-6">
        <button type="button" class="text-link underline" onclick={() => (proof.wanted = false)}>Back</button>
      </p>
    {:else}
      <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, proof.send)}>
        <FormProblem problem={form.problem} />
        <p>Now: <strong class="break-all">{account.email ?? "none"}</strong></p>
        <Field
          name="email"
          label="New address"
          type="email"
          autocomplete="email"
          bind:value={email}
          error={form.errors["email"]}
        />
        <MainButton text="Send the link" busyText="Asking …" busy={form.sending} />
      </form>
      <p class="mt-6"><a href={at("/account")}>Leave it as it is</a></p>
    {/if}
  </PersonFrame>
{:else if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if session.who.state === "failed"}
  <PersonFrame heading="Change your address" next="It cannot be shown at the moment.">
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
