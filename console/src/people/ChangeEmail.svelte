<script lang="ts">
  /** Another address for the account: a link goes to it, and it counts when the link is used. */
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call } from "../lib/page.ts";
  import { tellOfNewName } from "../lib/passkeys-told.ts";
  import { ProofFirst } from "../lib/proof-first.svelte.ts";
  import { session } from "../lib/session.svelte.ts";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import MailHint from "../parts/MailHint.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import ProofFirstHere from "../parts/ProofFirstHere.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";
  import CodeForm from "../proof/CodeForm.svelte";
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";

  const form = new Form();
  let email = $state("");
  let asked = $state(false);
  let confirmed: string | null = $state(null);

  onMount(async () => {
    await session.askOrSignIn();
  });

  const proof = new ProofFirst(async () => {
    await call(routes.changeEmail, { body: { email: email.trim() } });
    asked = true;
  });
  async function confirm(code: string): Promise<void> {
    const { email: proved } = (await call(routes.confirmEmail, { body: { code } })).body;
    if (session.who.state === "signed-in") await tellOfNewName({ ...session.who.account, email: proved });
    confirmed = proved;
  }
  const judge = (): Record<string, string> =>
    email.trim() === "" ? { email: lazy.changeEmail.enterTheNewAddress } : {};
</script>

{#if confirmed !== null}
  <PersonFrame heading={lazy.changeEmail.isYoursNow} next={lazy.changeEmail.mailGoesTo(confirmed)}>
    <p role="status"><a href={at("/account")}>{lazy.changeEmail.yourAccount}</a></p>
  </PersonFrame>
{:else if asked}
  <PersonFrame heading={lazy.changeEmail.checkYourMail} next={lazy.changeEmail.ifTheAddressIsAvailable}>
    <p role="status">
      <Interpolate text={lazy.changeEmail.openTheLinkInThis}
        >{#snippet address()}<strong class="break-all">{email.trim()}</strong>{/snippet}</Interpolate
      >
    </p>
    <MailHint />
    <div class="mt-6">
      <CodeForm
        label={lazy.changeEmail.code}
        autocomplete="one-time-code"
        inputmode="numeric"
        buttonText={lazy.changeEmail.useCode}
        send={confirm}
      />
    </div>
    <p class="mt-6"><a href={at("/account")}>{lazy.changeEmail.yourAccount}</a></p>
  </PersonFrame>
{:else if session.who.state === "signed-in"}
  {@const { account } = session.who}
  <PersonFrame heading={lazy.changeEmail.changeYourAddress} next={lazy.changeEmail.theNewAddressGetsA}>
    {#if proof.wanted}
      <ProofFirstHere {account} change={proof} />
    {:else}
      <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, proof.send)}>
        <FormProblem problem={form.problem} />
        <p>
          <Interpolate text={lazy.changeEmail.currentAddress}
            >{#snippet address()}<strong class="break-all">{account.email ?? lazy.changeEmail.none}</strong
              >{/snippet}</Interpolate
          >
        </p>
        <Field
          name="email"
          label={lazy.changeEmail.newAddress}
          type="email"
          autocomplete="email"
          bind:value={email}
          error={form.errors["email"]}
        />
        <MainButton
          text={lazy.changeEmail.sendLink}
          busyText={lazy.changeEmail.sending}
          busy={form.sending}
        />
      </form>
      <p class="mt-6"><a href={at("/account")}>{lazy.changeEmail.cancel}</a></p>
    {/if}
  </PersonFrame>
{:else if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if session.who.state === "failed"}
  <PersonFrame heading={lazy.changeEmail.changeYourAddress} next={lazy.changeEmail.thisCannotBeShownRight}>
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
