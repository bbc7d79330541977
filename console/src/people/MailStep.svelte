<script lang="ts">
  /** Inside a sign-in: a mail is on its way. Its link signs in here, or shows a code elsewhere that is typed here. */
  import { ProblemError } from "@lucchetto/contract/pages";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { at, call, page } from "../lib/page.ts";
  import { session } from "../lib/session.svelte.ts";
  import type { Step } from "../lib/step.ts";
  import { hearTabs } from "../lib/tabs.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import MailHint from "../parts/MailHint.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import ProofRow from "../parts/ProofRow.svelte";
  import SendAgain from "../parts/SendAgain.svelte";
  import MailCodeForm from "../proof/MailCodeForm.svelte";
  import { texts } from "../texts/texts.ts";

  interface Props {
    identifier: string;
    /** Asks for the mail once more. */
    ask: () => Promise<void>;
    done: () => void;
    /** More is wanted after the mail. */
    goOn: (step: Step) => void;
    again: () => void;
    /** Whether an application waits for the answer. */
    goesToApp: boolean;
  }
  const { identifier, ask, done, goOn, again, goesToApp }: Props = $props();
  let isOver = $state(false);
  let isAsked = false;
  /** The account was registered in this browser, and its address is yet to be proved. */
  let registeredHere = $state(false);
  let password = $state("");
  /** Another tab of this browser went on. */
  let isElsewhere = $state(false);

  // The link may be opened in another tab of this browser, which then is signed in as a whole.
  onMount(() =>
    hearTabs(async () => {
      await session.ask();
      if (session.who.state !== "signed-in") return;
      // On the way to an application the other tab goes on; the same return cannot be used twice.
      if (goesToApp) isElsewhere = true;
      else done();
    }),
  );

  /** Asked when the code is typed: by then it is known whose the mail was. Where nobody answers, the password is not asked for beside it. */
  async function askWhereRegistered(): Promise<void> {
    if (isAsked) return;
    isAsked = true;
    const { body } = await call(routes.showSignIn);
    registeredHere = body.registeredHere;
  }

  async function send(code: string): Promise<void> {
    try {
      const beside = password === "" ? {} : { password };
      const reply = await call(routes.addProof, { body: { proof: { type: "mail-code", code, ...beside } } });
      if (reply.status === 202) goOn(reply.body);
      else done();
    } catch (error) {
      if (error instanceof ProblemError && error.problem.code === "sign-in-lapsed") isOver = true;
      throw error;
    }
  }
</script>

{#if isElsewhere}
  <PersonFrame heading={texts.mailStep.youAreSignedIn} next={texts.mailStep.continueInTheOtherTab}>
    <p role="status">
      {texts.mailStep.youCanCloseThisOne} <a href={at("/account")}>{texts.mailStep.yourAccount}</a>
    </p>
  </PersonFrame>
{:else}
  <PersonFrame heading={texts.mailStep.checkYourMail} next={texts.mailStep.ifThereIsAnAccount(identifier)}>
    <ProofRow shown={[]} wanted={[texts.mailStep.linkFromTheMail]} />
    <p class="mt-6">
      {texts.mailStep.openTheLinkInThis(page.linksWorkFor.signIn)}
    </p>
    <div class="mt-6">
      <MailCodeForm {send} typing={() => void askWhereRegistered().catch(() => undefined)}>
        {#snippet beside(errors)}
          {#if registeredHere}
            <PasswordField
              name="password"
              label={texts.mailStep.passwordYouRegisteredWith}
              autocomplete="current-password"
              rules={texts.mailStep.withItWhatYouSetUpStays}
              bind:value={password}
              error={errors["password"]}
            />
          {/if}
        {/snippet}
      </MailCodeForm>
    </div>
    <MailHint />
    {#if !isOver}<SendAgain send={ask} />{/if}
    <p class="mt-2">
      <ActionButton kind="text" onclick={again}>{texts.mailStep.signInAnotherWay}</ActionButton>
    </p>
  </PersonFrame>
{/if}
