<script lang="ts">
  /** Inside a sign-in: the account must have a second factor, and has none yet. */
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { call } from "../lib/page.ts";
  import { knowsPasskeys, makePasskey } from "../lib/passkeys.ts";
  import type { Step } from "../lib/step.ts";
  import { unlessLapsed } from "../lib/step.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import Notice from "../parts/Notice.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import QrEnrolment from "../parts/QrEnrolment.svelte";
  import RecoveryCodes from "../parts/RecoveryCodes.svelte";
  import StartOver from "../parts/StartOver.svelte";
  import TimeLimit from "../parts/TimeLimit.svelte";
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";
  import { texts } from "../texts/texts.ts";

  interface Props {
    /** What was typed as the name, for the file of recovery codes. */
    identifier: string;
    step: Step;
    done: () => void;
    goOn: (step: Step) => void;
    lapsed: () => void;
  }
  const { identifier, step, done, goOn, lapsed }: Props = $props();
  const form = new Form();
  let begun: { id: string; secret: string; uri: string; qrSvg: string } | null = $state(null);
  let codes: readonly string[] | null = $state(null);
  /** What comes after the codes were shown. */
  let afterwards: () => void = $state(() => undefined);
  const byPasskey = $derived(step.wanted.includes("enrol-passkey") && knowsPasskeys);
  const byApp = $derived(step.wanted.includes("enrol-totp"));

  type Enrolment =
    | { type: "enrol-totp"; id: string; code: string }
    | ({ type: "enrol-passkey" } & Awaited<ReturnType<typeof makePasskey>>);

  async function show(proof: Enrolment): Promise<void> {
    const { status, body } = await call(routes.addProof, { body: { proof } });
    afterwards = status === 202 ? () => goOn(body) : done;
    codes = body.recoveryCodes ?? null;
    if (codes === null) afterwards();
  }

  /** For what a button or a form begins; a sign-in that is over takes the page's place. */
  const run = (what: () => Promise<void>): Promise<void> => unlessLapsed(what, lapsed);
  const addPasskey = (): Promise<void> =>
    run(async () => show({ type: "enrol-passkey", ...(await makePasskey("enrol")) }));
  const beginWithApp = (): Promise<void> =>
    run(async () => {
      begun = (await call(routes.enrolAuthenticator, { body: {} })).body;
    });
  const confirm = (code: string): Promise<void> =>
    run(() => show({ type: "enrol-totp", id: begun?.id ?? "", code }));
</script>

{#if codes !== null}
  <PersonFrame heading={lazy.enrolStep.itIsOn} next={lazy.enrolStep.keepTheseCodes}>
    <RecoveryCodes {codes} site={identifier} />
    <form
      onsubmit={(event) => {
        event.preventDefault();
        afterwards();
      }}
    >
      <MainButton text={texts.signIn.continue} busyText={texts.signIn.checking} busy={false} />
    </form>
  </PersonFrame>
{:else}
  <PersonFrame heading={lazy.enrolStep.protectYourAccount} next={lazy.enrolStep.yourAccountMustHave}>
    {#if begun !== null}
      <QrEnrolment {begun} send={confirm} />
      <p class="mt-6">
        <ActionButton kind="text" onclick={() => (begun = null)}>{texts.reauthenticate.back}</ActionButton>
      </p>
    {:else}
      <form
        class="space-y-5"
        novalidate
        onsubmit={(event) => form.submit(event, () => ({}), byPasskey ? addPasskey : beginWithApp)}
      >
        <FormProblem problem={form.problem} />
        {#if byPasskey}
          <p>{lazy.passkeys.aPasskeyIs}</p>
          <MainButton
            text={lazy.passkeys.addAPasskey}
            busyText={texts.passkeys.waiting}
            busy={form.sending}
          />
        {:else if byApp}
          <MainButton
            text={texts.secondFactor.setUpAnAuthenticatorApp}
            busyText={texts.secondFactor.oneMoment}
            busy={form.sending}
          />
        {:else}
          <Notice>{lazy.passkeys.thisBrowserKnowsNone}</Notice>
        {/if}
      </form>
      {#if byPasskey && byApp}
        <form class="mt-5" novalidate onsubmit={(event) => form.submit(event, () => ({}), beginWithApp)}>
          <ActionButton size="lg" class="w-full" type="submit"
            >{texts.secondFactor.setUpAnAuthenticatorApp}</ActionButton
          >
        </form>
      {/if}
    {/if}
    <TimeLimit expiresAt={step.expiresAt} {lapsed} />
    <StartOver />
  </PersonFrame>
{/if}
