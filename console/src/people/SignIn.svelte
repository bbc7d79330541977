<script lang="ts">
  import { ProblemError } from "@lucchetto/contract/pages";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { later } from "../lib/lazy.ts";
  import { doesMailWait, forgetMailWaits } from "../lib/mail-waits.ts";
  import { nextOf, withNext } from "../lib/next.ts";
  import { at, call, go, page } from "../lib/page.ts";
  import type { PasskeyProof } from "../lib/passkeys.ts";
  import { askForPasskey, knowsPasskeys, offersWhileTyping, tellBrowser } from "../lib/passkeys.ts";
  import { Patience } from "../lib/patience.svelte.ts";
  import { sentenceOf } from "../lib/sentence.ts";
  import { session } from "../lib/session.svelte.ts";
  import type { Step } from "../lib/step.ts";
  import { hearTabs, tellTabs } from "../lib/tabs.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Checkbox from "../parts/Checkbox.svelte";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Lazy from "../parts/Lazy.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import Notice from "../parts/Notice.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import { texts } from "../texts/texts.ts";

  const form = new Form();
  const patience = new Patience();
  const query = new URLSearchParams(window.location.search);
  let identifier = $state(query.get("name") ?? "");
  let password = $state("");
  let remember = $state(false);
  let step: "form" | "mail" | "more" | "unverified" = $state("form");
  let more: Step = $state({ wanted: [], expiresAt: "" });
  let firstShown = $state(texts.signIn.passwordShown);
  /** A mail waits for what was typed: this browser registered it. */
  let isWaiting = $state(false);

  const next = nextOf() ?? at(page.landings.afterSignIn);
  /** The application sent somebody who wants the link. */
  let byMail = $state(
    page.mailLink !== "off" && [window.location.search, next].some((one) => /[?&]by=mail(&|$)/.test(one)),
  );
  const forgotPath = $derived(withNext("/forgot", { name: identifier }));
  const registerPath = at(`/register${window.location.search}`);
  const { email, username } = page.identifiers;
  const identifierLabel =
    username === "off"
      ? texts.signIn.eMailAddress
      : email === "off"
        ? texts.signIn.username
        : texts.signIn.eMailAddressOrUsername;
  const whatNext = page.visitedApp ? texts.signIn.signInToContinueTo(page.visitedApp.name) : undefined;

  /** Ends the offer of passkeys in the field of the name. */
  let offering: AbortController | null = null;

  onMount(() => {
    void offerPasskeys();
    // Signing in in another tab shows here at once; before, nobody is asked who is there.
    const stopHearing = hearTabs(() => step === "form" && void session.ask());
    return () => {
      offering?.abort();
      stopHearing();
    };
  });

  /** Offers passkeys in the name field's autofill. */
  async function offerPasskeys(): Promise<void> {
    if (!(await offersWhileTyping())) return;
    offering = new AbortController();
    try {
      await show(await askForPasskey("sign-in", { whileTyping: offering.signal }));
    } catch (error) {
      // What was not taken, or could not be offered, is nothing to speak of.
      if (error instanceof ProblemError && error.problem.code !== "throttled")
        form.problem = sentenceOf(error);
    }
  }

  async function show(proof: PasskeyProof): Promise<void> {
    try {
      const reply = await call(routes.signIn, { body: { proof, remember } });
      if (reply.status === 202) goOn(reply.body, texts.secondProofs.passkey);
      else finish();
    } catch (error) {
      const code = error instanceof ProblemError ? error.problem.code : "";
      if (code === "passkey-unknown")
        tellBrowser("signalUnknownCredential", {
          rpId: page.relyingPartyId,
          credentialId: proof.credential.id,
        });
      if (code === "email-unverified") step = "unverified";
      else throw error;
    }
  }

  /** With a name its passkeys are asked for, without one any. */
  async function byPasskey(): Promise<void> {
    if (form.sending) return;
    offering?.abort();
    form.problem = null;
    form.errors = {};
    form.sending = true;
    try {
      const name = identifier.trim();
      await show(await askForPasskey("sign-in", name === "" ? {} : { identifier: name }));
    } catch (error) {
      form.problem = sentenceOf(error);
      void offerPasskeys();
    } finally {
      form.sending = false;
    }
  }

  function judge(): Record<string, string> {
    const errors: Record<string, string> = {};
    if (identifier.trim() === "") errors["identifier"] = texts.signIn.enterYourEMailAddress;
    if (!byMail && password === "") errors["password"] = texts.signIn.enterYourPassword;
    return errors;
  }

  function finish(): void {
    forgetMailWaits();
    tellTabs();
    go(next);
  }

  function goOn(reply: Step, shown: string): void {
    more = reply;
    firstShown = shown;
    step = "more";
  }

  async function send(): Promise<void> {
    if (byMail) return askForMail();
    isWaiting = false;
    try {
      const proof = { type: "password", identifier: identifier.trim(), password } as const;
      const reply = await patience.send(() => call(routes.signIn, { body: { proof, remember } }));
      if (reply.status === 202) goOn(reply.body, texts.signIn.passwordShown);
      else finish();
    } catch (error) {
      const code = error instanceof ProblemError ? error.problem.code : "";
      if (code === "email-unverified") step = "unverified";
      else {
        isWaiting = code === "sign-in-refused" && doesMailWait(identifier);
        throw error;
      }
    }
  }

  async function ask(): Promise<void> {
    await call(routes.askForLink, {
      body: { purpose: "sign-in", identifier: identifier.trim(), remember, returnTo: next },
    });
  }

  async function askForMail(): Promise<void> {
    await ask();
    step = "mail";
  }

  /** In place of the password; whatever was typed there is not looked at. */
  function mailInstead(event: MouseEvent): void {
    const field = (event.currentTarget as HTMLButtonElement).form;
    form.problem = null;
    form.errors = identifier.trim() === "" ? { identifier: texts.signIn.enterYourEMailAddress } : {};
    if (form.errors["identifier"]) {
      field?.querySelector<HTMLElement>("#identifier")?.focus();
      return;
    }
    askForMail().catch((error: unknown) => (form.problem = sentenceOf(error)));
  }
</script>

{#if step === "more"}
  <Lazy
    load={later.nextStep}
    heading={texts.signIn.signIn}
    props={{ identifier, shown: firstShown, step: more, done: finish }}
  />
{:else if step === "mail"}
  <Lazy
    load={later.mailStep}
    heading={texts.signIn.signIn}
    props={{
      identifier,
      ask,
      goOn: (reply: Step) => goOn(reply, texts.signIn.linkFromTheMail),
      done: finish,
      again: () => {
        byMail = false;
        step = "form";
      },
      goesToApp: page.visitedApp !== undefined,
    }}
  />
{:else if session.who.state === "signed-in"}
  <PersonFrame heading={texts.signIn.youAreSignedIn} next={texts.signIn.youSignedInInAnother}>
    <p role="status">
      {texts.signIn.as}
      <strong class="break-all">{session.who.account.email ?? session.who.account.username}</strong>.
      <a href={page.visitedApp ? (page.visitedApp.home ?? at("/account")) : next}>{texts.signIn.continue}</a>
    </p>
  </PersonFrame>
{:else if step === "unverified"}
  <Lazy
    load={later.checkMail}
    heading={texts.signIn.confirmYourAddressFirst}
    props={{
      email: identifier.trim(),
      returnTo: next,
      heading: texts.signIn.confirmYourAddressFirst,
      next: texts.signIn.yourPasswordIsRightBut,
      pause: 0,
    }}
  />
{:else}
  <PersonFrame heading={texts.signIn.signIn} next={whatNext}>
    <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
      <FormProblem problem={form.problem} />
      <p role="status" class="sr-only">{patience.announced ?? ""}</p>
      {#if patience.sentence !== null}
        <div aria-hidden="true"><Notice>{patience.sentence}</Notice></div>
      {/if}
      {#if isWaiting}
        <Notice>
          {texts.signIn.youRegisteredThisAddressHere}
        </Notice>
      {/if}
      <Field
        name="identifier"
        label={identifierLabel}
        bind:value={identifier}
        autocomplete="username webauthn"
        error={form.errors["identifier"]}
      />
      {#if !byMail}
        <PasswordField
          name="password"
          label={texts.signIn.password}
          bind:value={password}
          autocomplete="current-password"
          error={form.errors["password"]}
        />
      {/if}
      <Checkbox name="remember" bind:checked={remember}>{texts.signIn.keepMeSignedInOn}</Checkbox>
      {#if byMail}
        <MainButton text={texts.signIn.mailMeALink} busyText={texts.signIn.sending} busy={form.sending} />
        <ActionButton size="lg" class="w-full" onclick={() => (byMail = false)}
          >{texts.signIn.useThePasswordInstead}</ActionButton
        >
      {:else}
        <MainButton text={texts.signIn.signIn} busyText={texts.signIn.checking} busy={form.sending} />
        {#if knowsPasskeys}
          <ActionButton size="lg" class="w-full" onclick={byPasskey}
            >{texts.passkeys.signInWithAPasskey}</ActionButton
          >
        {/if}
        {#if page.mailLink !== "off"}
          <ActionButton size="lg" class="w-full" onclick={mailInstead}
            >{texts.signIn.mailMeALinkInstead}</ActionButton
          >
        {/if}
      {/if}
    </form>
    {#if page.mail !== "none"}
      <p class="mt-6">
        <a href={forgotPath}>{texts.signIn.forgottenYourPassword}</a>
      </p>
    {/if}
    <p class="mt-2">{texts.signIn.noAccountYet} <a href={registerPath}>{texts.signIn.register}</a></p>
  </PersonFrame>
{/if}
