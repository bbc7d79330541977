<script lang="ts">
  /** The second factor of one's own account: authenticator apps and recovery codes. */
  import type { Authenticator } from "@lucchetto/contract";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Loader } from "../lib/loader.svelte.ts";
  import { nextOf } from "../lib/next.ts";
  import { at, call, page } from "../lib/page.ts";
  import { ProofFirst } from "../lib/proof-first.svelte.ts";
  import { session } from "../lib/session.svelte.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Confirm from "../parts/Confirm.svelte";
  import FactorRow from "../parts/FactorRow.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import ProofFirstHere from "../parts/ProofFirstHere.svelte";
  import QrEnrolment from "../parts/QrEnrolment.svelte";
  import RecoveryCodes from "../parts/RecoveryCodes.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";
  import { texts } from "../texts/texts.ts";

  interface Begun {
    readonly id: string;
    readonly secret: string;
    readonly uri: string;
    readonly qrSvg: string;
  }

  /** Where somebody goes on to who was sent here for want of one. */
  const onwards = nextOf();
  /** From so few recovery codes on a new set is urged. */
  const FEW = 3;

  let items: Authenticator[] | null = $state(null);
  let left = $state(0);
  /** Recovery codes stand in for passkeys too. */
  let hasPasskey = $state(false);
  const loader = new Loader();
  let said = $state("");
  let begun: Begun | null = $state(null);
  let codes: readonly string[] | null = $state(null);

  onMount(async () => {
    await session.askOrSignIn();
    if (session.who.state === "signed-in") await look();
  });

  async function look(): Promise<void> {
    await loader.run(async () => {
      items = (await call(routes.listAuthenticators)).body.items.map((one) =>
        one.named ? one : { ...one, name: texts.secondFactor.anAuthenticatorApp },
      );
      ({ left } = (await call(routes.countRecoveryCodes)).body);
      hasPasskey = (await call(routes.listPasskeys)).body.items.length > 0;
    });
  }

  const beginning = new ProofFirst(async () => {
    const { body } = await call(routes.enrolAuthenticator, { body: {} });
    begun = body;
    codes = null;
    said = "";
  });
  let toRemove: Authenticator | null = $state(null);
  const removing = new ProofFirst(async () => {
    if (toRemove === null) return;
    const { id, name } = toRemove;
    await call(routes.removeAuthenticator, { params: { id } });
    toRemove = null;
    codes = null;
    said = texts.secondFactor.wasRemoved(name);
    await look();
  });
  const renewing = new ProofFirst(async () => {
    const { body } = await call(routes.makeRecoveryCodes);
    codes = body.codes;
    said = texts.secondFactor.yourOldRecoveryCodesNo;
    await look();
  });
  const asked = $derived([beginning, removing, renewing].find(({ wanted }) => wanted));

  /** For buttons, whose faults stand above the page. */
  function start(change: ProofFirst): void {
    void loader.run(change.send);
  }

  function keep(): void {
    toRemove = null;
    loader.problem = null;
  }

  async function confirm(code: string): Promise<void> {
    if (begun === null) return;
    const { body } = await call(routes.activateAuthenticator, {
      params: { id: begun.id },
      body: { code },
    });
    begun = null;
    codes = body.recoveryCodes ?? null;
    said = texts.secondFactor.twoStepSignInIs;
    await session.ask();
    await look();
  }

  async function endOthers(): Promise<void> {
    await loader.run(async () => {
      const { ended } = (await call(routes.endOtherSessions)).body;
      said =
        ended === 0 ? texts.secondFactor.thereWasNoOtherSession : texts.secondFactor.sessionsEnded(ended);
    });
  }

  async function rename({ id }: Authenticator, name: string): Promise<void> {
    await loader.run(async () => {
      await call(routes.renameAuthenticator, { params: { id }, body: { name } });
      await look();
    });
  }
</script>

{#if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if session.who.state === "signed-in" && (items !== null || loader.problem !== null)}
  {@const { account } = session.who}
  {@const apps = items ?? []}
  <PersonFrame heading={texts.secondFactor.secondFactor} next={texts.secondFactor.afterThePasswordYouAre}>
    <FormProblem problem={toRemove === null ? loader.problem : null} />
    <p role="status" class="text-verdigris mb-4">{said}</p>
    {#if asked !== undefined}
      <ProofFirstHere {account} change={asked} />
    {:else if begun !== null}
      <QrEnrolment {begun} send={confirm} />
      <p class="mt-6">
        <ActionButton kind="text" onclick={() => (begun = null)}>{texts.secondFactor.notNow}</ActionButton>
      </p>
    {:else}
      {#if toRemove !== null}
        <Confirm
          question={lazy.passkeys.removeIt(toRemove.name)}
          after={texts.secondFactor.afterwardsItsCodes}
          yes={texts.secondFactor.remove}
          no={lazy.passkeys.keepIt}
          problem={loader.problem}
          act={() => start(removing)}
          leave={keep}
        />
      {/if}
      {#if codes !== null}
        <RecoveryCodes {codes} site={account.email ?? account.username ?? ""} />
        <p class="mb-8">
          {texts.secondFactor.yourOtherSessionsStaySigned}
          <ActionButton kind="text" onclick={endOthers}>{texts.secondFactor.endAllOthers}</ActionButton>
        </p>
      {/if}
      {#if apps.length === 0}
        <p class="mb-6">{texts.secondFactor.youHaveNoneYetYour}</p>
        <form
          onsubmit={(event) => {
            event.preventDefault();
            start(beginning);
          }}
        >
          <MainButton
            text={texts.secondFactor.setUpAnAuthenticatorApp}
            busyText={texts.secondFactor.oneMoment}
            busy={false}
          />
        </form>
      {:else}
        <ul class="divide-line border-line divide-y border-y">
          {#each apps as one (one.id)}
            <FactorRow
              {one}
              since={texts.secondFactor.setUp}
              rename={(name) => rename(one, name)}
              remove={() => (toRemove = one)}
            />
          {/each}
        </ul>
        <p class="mt-3">
          <ActionButton kind="text" onclick={() => start(beginning)}
            >{texts.secondFactor.setUpAnotherOne}</ActionButton
          >
        </p>
      {/if}
      {#if apps.length > 0 || hasPasskey}
        <h2 class="mt-10 text-lg font-semibold">{texts.secondFactor.recoveryCodes}</h2>
        <p class={["mt-2", left <= FEW && "border-brass border-l-4 pl-4"]}>
          {texts.secondFactor.left(left)}
          {#if left <= FEW}{texts.secondFactor.createNewOnesBeforeYou}{/if}
        </p>
        <p class="mt-3">
          <ActionButton onclick={() => start(renewing)}>{texts.secondFactor.newRecoveryCodes}</ActionButton>
        </p>
      {/if}
      <p class="mt-8 flex flex-wrap gap-x-6 gap-y-2">
        {#if onwards !== null && (apps.length > 0 || hasPasskey)}
          <a class="font-medium" href={onwards} target="_self"
            >{page.visitedApp === undefined || page.visitedApp === null
              ? texts.secondFactor.goOn
              : texts.linkDone.goOnTo(page.visitedApp.name)}</a
          >
        {/if}
        <a href={at("/account")}>{texts.secondFactor.yourAccount}</a>
      </p>
    {/if}
  </PersonFrame>
{:else if session.who.state === "failed"}
  <PersonFrame heading={texts.secondFactor.secondFactor} next={texts.secondFactor.thisCannotBeShownRight}>
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
