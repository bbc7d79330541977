<script lang="ts">
  /** Inside a sign-in: an operator wants a new password before there is a session. */
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import { call } from "../lib/page.ts";
  import type { Step } from "../lib/step.ts";
  import { unlessLapsed } from "../lib/step.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import ProofRow from "../parts/ProofRow.svelte";
  import StartOver from "../parts/StartOver.svelte";
  import TimeLimit from "../parts/TimeLimit.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";
  import { texts } from "../texts/texts.ts";

  interface Props {
    /** What was typed as the name, for password managers. */
    identifier: string;
    /** When the sign-in lapses. */
    expiresAt: string;
    lapsed: () => void;
    done: () => void;
    /** More is wanted after the new password. */
    goOn: (step: Step) => void;
  }
  const { identifier, expiresAt, lapsed, done, goOn }: Props = $props();
  const form = new Form();
  let password = $state("");
  let repeated = $state("");

  const send = (): Promise<void> =>
    unlessLapsed(async () => {
      const reply = await call(routes.addProof, { body: { proof: { type: "new-password", password } } });
      if (reply.status === 202) goOn(reply.body);
      else done();
    }, lapsed);
</script>

<PersonFrame
  heading={texts.newPasswordStep.chooseANewPassword}
  next={texts.newPasswordStep.thePeopleWhoRunThe}
>
  <ProofRow shown={[texts.newPasswordStep.password]} wanted={[texts.newPasswordStep.newPassword]} />
  <form
    class="mt-6 space-y-5"
    novalidate
    onsubmit={(event) => form.submit(event, () => judgeNewPassword(password, repeated), send)}
  >
    <FormProblem problem={form.problem} />
    <WhosePassword name={identifier} />
    <NewPasswordFields bind:password bind:repeated errors={form.errors} names={[identifier]} />
    <MainButton
      text={texts.newPasswordStep.saveAndSignIn}
      busyText={texts.newPasswordStep.saving}
      busy={form.sending}
    />
  </form>
  <TimeLimit {expiresAt} {lapsed} />
  <StartOver />
</PersonFrame>
