<script lang="ts">
  import { ownPathOr } from "@lucchetto/contract/pages";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { rememberMailWaits } from "../lib/mail-waits.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import { at, call, go, page } from "../lib/page.ts";
  import { tellTabs } from "../lib/tabs.ts";
  import Field from "../parts/Field.svelte";
  import Fill from "../parts/Fill.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import { texts } from "../texts/texts.ts";
  import CheckMail from "./CheckMail.svelte";

  const form = new Form();
  let email = $state("");
  let username = $state("");
  let displayName = $state("");
  let password = $state("");
  let repeated = $state("");
  let taken = $state(false);

  const { identifiers } = page;
  const eitherWillDo = identifiers.email === "optional" && identifiers.username === "optional";
  const query = new URLSearchParams(window.location.search);
  const next = ownPathOr(at(page.landings.afterRegistering), query.get("next"), page.basePath);
  const signInPath = at(`/sign-in${window.location.search}`);

  function judge(): Record<string, string> {
    const errors: Record<string, string> = {};
    if (eitherWillDo && email === "" && username === "") errors["email"] = texts.register.giveAnEMailAddress;
    if (identifiers.email === "required" && email === "")
      errors["email"] = texts.register.enterYourEMailAddress;
    if (identifiers.username === "required" && username === "")
      errors["username"] = texts.register.chooseAUsername;
    return { ...errors, ...judgeNewPassword(password, repeated) };
  }

  async function send(): Promise<void> {
    const given = (text: string) => (text.trim() === "" ? undefined : text.trim());
    const reply = await call(routes.register, {
      body: { email: given(email), username: given(username), displayName: given(displayName), password },
    });
    if (reply.status === 201) {
      tellTabs();
      go(next);
    } else {
      rememberMailWaits(email);
      taken = true;
    }
  }
</script>

{#if taken && page.mail !== "none"}
  <CheckMail email={email.trim()} next={texts.register.yourRegistrationHasArrivedThe} />
{:else if taken}
  <PersonFrame heading={texts.register.thankYou} next={texts.register.yourRegistrationHasArrived}>
    <p>
      <Fill text={texts.register.ifNobodyHadThisAddress}
        >{#snippet signIn()}<a href={signInPath}>{texts.register.signIn}</a>{/snippet}</Fill
      >
    </p>
  </PersonFrame>
{:else}
  <PersonFrame
    heading={texts.register.register}
    next={page.mailComesFirst ? texts.register.youGetAMailWith : texts.register.youAreSignedInAs}
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
          rules={texts.register.of2To40LettersAnd}
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
        busyText={texts.register.makingYourAccount}
        busy={form.sending}
      />
    </form>
    <p class="mt-6">
      {texts.register.registeredAlready} <a href={signInPath}>{texts.register.signInInstead}</a>
    </p>
  </PersonFrame>
{/if}
