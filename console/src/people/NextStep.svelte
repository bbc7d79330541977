<script lang="ts">
  /** Inside a sign-in: something more is wanted before there is a session. One step may lead to another. */
  import { routes } from "virtual:routes";
  import { call } from "../lib/page.ts";
  import type { SecondProof } from "../lib/second-proof.ts";
  import type { Step } from "../lib/step.ts";
  import { unlessLapsed } from "../lib/step.ts";
  import NotLoaded from "../parts/NotLoaded.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import ProofRow from "../parts/ProofRow.svelte";
  import SecondFactorForm from "../parts/SecondFactorForm.svelte";
  import StartOver from "../parts/StartOver.svelte";
  import TimeLimit from "../parts/TimeLimit.svelte";
  import { SECOND_PROOFS } from "../proof/methods.ts";
  import { texts } from "../texts/texts.ts";

  interface Props {
    /** What was typed as the name, for password managers. */
    identifier: string;
    /** What was shown first, in words. */
    shown: string;
    step: Step;
    done: () => void;
  }
  const { identifier, shown, step, done }: Props = $props();
  let later: Step | null = $state(null);
  let isOver = $state(false);
  const present = $derived(later ?? step);
  const words = $derived([
    ...new Set(SECOND_PROOFS.filter(({ type }) => present.wanted.includes(type)).map(({ word }) => word())),
  ]);

  const lapsed = (): void => void (isOver = true);

  const showFactor = (proof: SecondProof): Promise<void> =>
    unlessLapsed(async () => {
      const reply = await call(routes.addProof, { body: { proof } });
      if (reply.status === 202) later = reply.body;
      else done();
    }, lapsed);
</script>

{#if !isOver && present.wanted.includes("new-password")}
  <!-- Few come here; everybody else's sign-in page does without its weight. -->
  {#await import("./NewPasswordStep.svelte") then { default: NewPasswordStep }}
    <NewPasswordStep
      {identifier}
      expiresAt={present.expiresAt}
      {lapsed}
      {done}
      goOn={(next) => (later = next)}
    />
  {:catch}
    <NotLoaded heading={texts.newPasswordStep.chooseANewPassword} />
  {/await}
{:else if !isOver && present.wanted.some((one) => one.startsWith("enrol-"))}
  {#await import("./EnrolStep.svelte") then { default: EnrolStep }}
    <EnrolStep {identifier} step={present} {done} goOn={(next) => (later = next)} {lapsed} />
  {:catch}
    <NotLoaded heading={texts.nextStep.startOver} />
  {/await}
{:else if !isOver && !SECOND_PROOFS.some(({ type }) => present.wanted.includes(type))}
  {#await import("./FurtherStep.svelte") then { default: FurtherStep }}
    {#key present}
      <FurtherStep {identifier} {shown} step={present} {done} goOn={(next) => (later = next)} {lapsed} />
    {/key}
  {:catch}
    <NotLoaded heading={texts.nextStep.startOver} />
  {/await}
{:else if isOver}
  <PersonFrame heading={texts.nextStep.thisSignInHasExpired} next={texts.nextStep.itTookTooLongOr}>
    <p role="alert">{texts.nextStep.nothingHasChangedStartOver}</p>
    <StartOver class="mt-6" />
  </PersonFrame>
{:else}
  <PersonFrame
    heading={present.wanted.includes("passkey")
      ? texts.passkeys.useYourPasskey
      : texts.nextStep.enterYourCode}
    next={texts.nextStep.yourAccountIsProtectedBy}
  >
    <div class="mb-6"><ProofRow shown={[shown]} wanted={[words.join(texts.secondProofs.or)]} /></div>
    <SecondFactorForm wanted={present.wanted} buttonText={texts.nextStep.signIn} send={showFactor} />
    <TimeLimit expiresAt={present.expiresAt} {lapsed} />
    <StartOver />
  </PersonFrame>
{/if}
