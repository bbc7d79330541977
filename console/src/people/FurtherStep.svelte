<script lang="ts">
  /** Inside a sign-in: beside the first proof a mail is wanted, or beside the mail the password. */
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { call, page } from "../lib/page.ts";
  import { session } from "../lib/session.svelte.ts";
  import type { Step } from "../lib/step.ts";
  import { unlessLapsed } from "../lib/step.ts";
  import { hearTabs } from "../lib/tabs.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import MailHint from "../parts/MailHint.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import ProofRow from "../parts/ProofRow.svelte";
  import StartOver from "../parts/StartOver.svelte";
  import TimeLimit from "../parts/TimeLimit.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";
  import MailCodeForm from "../proof/MailCodeForm.svelte";
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";
  import { texts } from "../texts/texts.ts";

  interface Props {
    /** What was typed as the name, for password managers. */
    identifier: string;
    /** What was shown first, in words. */
    shown: string;
    step: Step;
    done: () => void;
    goOn: (step: Step) => void;
    lapsed: () => void;
  }
  const { identifier, shown, step, done, goOn, lapsed }: Props = $props();
  const form = new Form();
  let password = $state("");
  const byMail = $derived(step.wanted.includes("mail-code"));

  // The link may be opened in another tab of this browser, which then is signed in as a whole.
  onMount(() =>
    hearTabs(async () => {
      await session.ask();
      if (session.who.state === "signed-in") done();
    }),
  );

  const send = (
    proof: { type: "mail-code"; code: string } | { type: "password"; password: string },
  ): Promise<void> =>
    unlessLapsed(async () => {
      const reply = await call(routes.addProof, { body: { proof } });
      if (reply.status === 202) goOn(reply.body);
      else done();
    }, lapsed);
  const judge = (): Record<string, string> =>
    password === "" ? { password: texts.reauthenticate.enterYourPassword } : {};
  const showPassword = (): Promise<void> => send({ type: "password", password });
</script>

<PersonFrame
  heading={byMail ? lazy.furtherStep.checkYourMail : lazy.furtherStep.andYourPassword}
  next={byMail ? lazy.furtherStep.oneMoreThing : lazy.furtherStep.besideTheMail}
>
  <ProofRow
    shown={[shown]}
    wanted={[byMail ? texts.mailStep.linkFromTheMail : texts.newPasswordStep.password]}
  />
  {#if byMail}
    <p class="mt-6">{lazy.furtherStep.openTheLink(page.linksWorkFor.signIn)}</p>
    <div class="mt-6"><MailCodeForm send={(code) => send({ type: "mail-code", code })} /></div>
    <MailHint />
  {:else}
    <form class="mt-6 space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, showPassword)}>
      <FormProblem problem={form.problem} />
      <WhosePassword name={identifier} />
      <PasswordField
        name="password"
        label={texts.reauthenticate.yourPassword}
        bind:value={password}
        autocomplete="current-password"
        error={form.errors["password"]}
      />
      <MainButton text={texts.mailStep.continue} busyText={texts.codeForm.checking} busy={form.sending} />
    </form>
  {/if}
  <TimeLimit expiresAt={step.expiresAt} {lapsed} />
  <StartOver />
</PersonFrame>
