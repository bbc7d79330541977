<script lang="ts">
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { rememberMailWaits } from "../lib/mail-waits.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import { nextOf } from "../lib/next.ts";
  import { at, call, go, page } from "../lib/page.ts";
  import { knowsPasskeys, makePasskey } from "../lib/passkeys.ts";
  import type { Step } from "../lib/step.ts";
  import { tellTabs } from "../lib/tabs.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import RecoveryCodes from "../parts/RecoveryCodes.svelte";
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";
  import { texts } from "../texts/texts.ts";
  import CheckMail from "./CheckMail.svelte";
  import NextStep from "./NextStep.svelte";

  const form = new Form();
  let email = $state("");
  let username = $state("");
  let displayName = $state("");
  let password = $state("");
  let repeated = $state("");
  let taken = $state(false);
  /** A second factor is required, and comes before a session. */
  let step: Step | null = $state(null);
  /** Of an account with a passkey: shown before it goes on. */
  let codes: readonly string[] | null = $state(null);

  const { identifiers } = page;
  const eitherWillDo = identifiers.email === "optional" && identifiers.username === "optional";
  const next = nextOf() ?? at(page.landings.afterRegistering);
  const signInPath = at(`/sign-in${window.location.search}`);

  function judgeNames(): Record<string, string> {
    const errors: Record<string, string> = {};
    if (eitherWillDo && email === "" && username === "") errors["email"] = texts.register.enterAnEMailAddress;
    if (identifiers.email === "required" && email === "")
      errors["email"] = texts.register.enterYourEMailAddress;
    if (identifiers.username === "required" && username === "")
      errors["username"] = texts.register.chooseAUsername;
    return errors;
  }
  const judge = (): Record<string, string> => ({
    ...judgeNames(),
    ...judgeNewPassword(password, repeated),
  });
  const send = (): Promise<void> => register({ password });

  /** A passkey in the password's place; what was typed as one is not looked at. */
  async function byPasskey(event: MouseEvent): Promise<void> {
    const within = (event.currentTarget as HTMLButtonElement).form;
    if (within === null) return;
    await form.attempt(within, judgeNames, async () =>
      register(await makePasskey("register", email.trim() || username.trim())),
    );
  }

  async function register(
    proof: { password: string } | Awaited<ReturnType<typeof makePasskey>>,
  ): Promise<void> {
    const given = (text: string) => (text.trim() === "" ? undefined : text.trim());
    // Mails come in the language of the page that they registered on.
    const language = page.language === page.siteLanguage ? undefined : page.language;
    const names = { email: given(email), username: given(username), displayName: given(displayName) };
    const reply = await call(routes.register, { body: { ...names, language, returnTo: next, ...proof } });
    if (reply.status === 201) {
      tellTabs();
      if (reply.body.recoveryCodes === undefined) go(next);
      else ({ recoveryCodes: codes } = reply.body);
    } else if (reply.body.outcome === "proof-wanted") step = reply.body;
    else {
      rememberMailWaits(email);
      taken = true;
    }
  }
</script>

{#if step !== null}
  <NextStep
    identifier={email.trim() || username.trim()}
    shown={texts.signIn.passwordShown}
    {step}
    done={() => {
      tellTabs();
      go(next);
    }}
  />
{:else if codes !== null}
  <PersonFrame heading={lazy.passkeys.yourAccountIsReady} next={lazy.passkeys.youSignInWithYourPasskey}>
    <RecoveryCodes {codes} site={email.trim() || username.trim()} />
    <ActionButton kind="main" size="lg" href={next}>{texts.signIn.continue}</ActionButton>
  </PersonFrame>
{:else if taken && page.mail !== "none"}
  <CheckMail email={email.trim()} returnTo={next} next={texts.register.yourRegistrationHasArrivedThe} />
{:else if taken}
  <PersonFrame heading={texts.register.thankYou} next={texts.register.yourRegistrationHasArrived}>
    <p>
      <Interpolate text={texts.register.ifThisAddressWasNew}
        >{#snippet signIn()}<a href={signInPath}>{texts.register.signIn}</a>{/snippet}</Interpolate
      >
    </p>
  </PersonFrame>
{:else}
  <PersonFrame
    heading={texts.register.register}
    next={page.mailComesFirst ? texts.register.youGetALinkBy : texts.register.youWillBeSignedIn}
  >
    <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
      <FormProblem problem={form.problem} />
      {#if identifiers.email !== "off"}
        <Field
          name="email"
          label={texts.register.eMailAddress}
          type="email"
          bind:value={email}
          autocomplete={identifiers.username === "off" ? "username" : "email"}
          optional={identifiers.email === "optional" && !eitherWillDo}
          rules={eitherWillDo ? texts.register.anEMailAddressA : undefined}
          error={form.errors["email"]}
        />
      {/if}
      {#if identifiers.username !== "off"}
        <Field
          name="username"
          label={texts.register.username}
          bind:value={username}
          autocomplete="username"
          optional={identifiers.username === "optional" && !eitherWillDo}
          rules={texts.register.usernameRules}
          error={form.errors["username"]}
        />
      {/if}
      <Field
        name="displayName"
        label={texts.register.name}
        bind:value={displayName}
        autocomplete="name"
        optional
        error={form.errors["displayName"]}
      />
      <NewPasswordFields
        label={texts.register.password}
        bind:password
        bind:repeated
        errors={form.errors}
        names={[email, username, displayName]}
      />
      <MainButton
        text={texts.register.register}
        busyText={texts.register.creatingYourAccount}
        busy={form.sending}
      />
      {#if knowsPasskeys}
        <ActionButton size="lg" class="w-full" onclick={byPasskey}
          >{lazy.passkeys.registerWithAPasskey}</ActionButton
        >
      {/if}
    </form>
    <p class="mt-6">
      {texts.register.alreadyRegistered} <a href={signInPath}>{texts.register.signInInstead}</a>
    </p>
  </PersonFrame>
{/if}
