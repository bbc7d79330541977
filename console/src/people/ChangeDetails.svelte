<script lang="ts">
  /** A person's own display name, username and the language of the mails. */
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call, go, page } from "../lib/page.ts";
  import { tellOfNewName } from "../lib/passkeys-told.ts";
  import { ProofFirst } from "../lib/proof-first.svelte.ts";
  import { session } from "../lib/session.svelte.ts";
  import Choice from "../parts/Choice.svelte";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import ProofFirstHere from "../parts/ProofFirstHere.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";
  import { texts } from "../texts/texts.ts";

  const form = new Form();
  let displayName = $state("");
  let username = $state("");
  const LANGUAGES = [
    ["", texts.changeDetails.theSitesLanguage],
    ["en", texts.changeDetails.english],
    ["it", texts.changeDetails.italiano],
  ] as const;
  let language: (typeof LANGUAGES)[number][0] = $state("");

  /** Once: what somebody has begun to type stays. */
  let isFilledIn = false;
  function fillIn(): void {
    if (isFilledIn || session.who.state !== "signed-in") return;
    isFilledIn = true;
    const { account } = session.who;
    displayName = account.displayName ?? "";
    username = account.username ?? "";
    language = (account.language ?? "") as typeof language;
  }
  // Whoever comes from another page is known already, and sees the form at once.
  fillIn();
  onMount(async () => {
    await session.askOrSignIn();
    fillIn();
  });

  // Another username wants a proof of the last minutes; all else does not.
  const change = new ProofFirst(async () => {
    const given = (text: string) => (text.trim() === "" ? null : text.trim());
    const names = page.identifiers.username === "off" ? {} : { username: given(username) };
    const { body } = await call(routes.changeOwnAccount, {
      body: { displayName: given(displayName), language: language === "" ? null : language, ...names },
    });
    await tellOfNewName(body);
    go(at("/account"));
  });
</script>

{#if session.who.state === "signed-in" && change.wanted}
  <PersonFrame heading={texts.changeDetails.nameAndLanguage} next={texts.changeDetails.anotherUsername}>
    <ProofFirstHere account={session.who.account} {change} />
  </PersonFrame>
{:else if session.who.state === "signed-in"}
  {@const { account } = session.who}
  <PersonFrame
    heading={texts.changeDetails.nameAndLanguage}
    next={texts.changeDetails.applicationsSeeTheNewName}
  >
    <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, () => ({}), change.send)}>
      <FormProblem problem={form.problem} />
      <Field
        name="displayName"
        label={texts.changeDetails.name}
        autocomplete="name"
        optional
        bind:value={displayName}
        error={form.errors["displayName"]}
      />
      {#if page.identifiers.username !== "off"}
        <Field
          name="username"
          label={texts.changeDetails.username}
          autocomplete="username"
          optional={page.identifiers.username === "optional"}
          rules={texts.changeDetails.usernameRules}
          bind:value={username}
          error={form.errors["username"]}
        />
        {#if account.username !== null && username.trim() !== account.username}
          <p class="text-quiet" data-username-hint>
            {account.email !== null && account.emailVerified
              ? texts.changeDetails.yourOldNameIsKept(page.linksWorkFor.undoChange)
              : texts.changeDetails.yourOldNameIsKeptOnly(page.linksWorkFor.undoChange)}
          </p>
        {/if}
      {/if}
      {#if page.mail !== "none"}
        <Choice
          name="language"
          label={texts.changeDetails.eMailLanguage}
          choices={LANGUAGES}
          bind:value={language}
        />
      {/if}
      <MainButton text={texts.changeDetails.save} busyText={texts.changeDetails.saving} busy={form.sending} />
    </form>
    <p class="mt-6"><a href={at("/account")}>{texts.changeDetails.cancel}</a></p>
  </PersonFrame>
{:else if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if session.who.state === "failed"}
  <PersonFrame
    heading={texts.changeDetails.nameAndLanguage}
    next={texts.changeDetails.thisCannotBeShownRight}
  >
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
