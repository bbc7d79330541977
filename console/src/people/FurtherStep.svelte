<script lang="ts">
  /** Inside a sign-in: beside the first proof a mail is wanted, or beside the mail the password. */
  import { ProblemError } from "@lucchetto/contract/pages";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call, page } from "../lib/page.ts";
  import { session } from "../lib/session.svelte.ts";
  import { hearTabs } from "../lib/tabs.ts";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MailHint from "../parts/MailHint.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import ProofRow from "../parts/ProofRow.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";
  import { rareTexts as rare } from "../texts/rare.ts";
  import { texts } from "../texts/texts.ts";

  interface Step {
    readonly wanted: readonly string[];
    readonly expiresAt: string;
  }
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
  let code = $state("");
  let password = $state("");
  const byMail = $derived(step.wanted.includes("mail-code"));

  // The link may be opened in another tab of this browser, which then is signed in as a whole.
  onMount(() =>
    hearTabs(async () => {
      await session.ask();
      if (session.who.state === "signed-in") done();
    }),
  );

  async function send(): Promise<void> {
    const proof = byMail ? ({ type: "mail-code", code } as const) : ({ type: "password", password } as const);
    try {
      const reply = await call(routes.addProof, { body: { proof } });
      if (reply.status === 202) goOn(reply.body);
      else done();
    } catch (error) {
      if (error instanceof ProblemError && error.problem.code === "sign-in-lapsed") lapsed();
      else if (byMail && error instanceof ProblemError && error.problem.code === "proof-refused")
        form.errors["code"] = texts.mailStep.thisIsNotTheCode;
      else throw error;
    }
  }
  const judge = (): Record<string, string> => {
    if (!byMail) return password === "" ? { password: texts.reauthenticate.enterYourPassword } : {};
    return /^\d{6}$/.test(code.replace(/[\s-]/g, "")) ? {} : { code: texts.mailStep.theCodeHasSixDigits };
  };
</script>

<PersonFrame
  heading={byMail ? rare.furtherStep.checkYourMail : rare.furtherStep.andYourPassword}
  next={byMail ? rare.furtherStep.oneMoreThing : rare.furtherStep.besideTheMail}
>
  <ProofRow
    shown={[shown]}
    wanted={[byMail ? texts.mailStep.linkFromTheMail : texts.newPasswordStep.password]}
  />
  {#if byMail}
    <p class="mt-6">{rare.furtherStep.openTheLink(page.linksWorkFor.signIn)}</p>
  {/if}
  <form class="mt-6 space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
    <FormProblem problem={form.problem} />
    {#if byMail}
      <Field
        name="code"
        label={texts.mailStep.code}
        autocomplete="one-time-code"
        inputmode="numeric"
        bind:value={code}
        error={form.errors["code"]}
      />
    {:else}
      <WhosePassword name={identifier} />
      <PasswordField
        name="password"
        label={texts.reauthenticate.yourPassword}
        bind:value={password}
        autocomplete="current-password"
        error={form.errors["password"]}
      />
    {/if}
    <MainButton text={texts.mailStep.goOn} busyText={texts.mailStep.checking} busy={form.sending} />
  </form>
  {#if byMail}<MailHint />{/if}
  <p class="mt-6"><a href={at("/sign-in")}>{texts.nextStep.beginAgain}</a></p>
</PersonFrame>
