<script lang="ts">
  /** One's own passkeys. */
  import type { Passkey } from "@lucchetto/contract";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Loader } from "../lib/loader.svelte.ts";
  import { at, call } from "../lib/page.ts";
  import { tellOfOwn } from "../lib/passkeys-told.ts";
  import { knowsPasskeys, makePasskey } from "../lib/passkeys.ts";
  import { ProofFirst } from "../lib/proof-first.svelte.ts";
  import { session } from "../lib/session.svelte.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Confirm from "../parts/Confirm.svelte";
  import FactorRow from "../parts/FactorRow.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import Notice from "../parts/Notice.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import ProofFirstHere from "../parts/ProofFirstHere.svelte";
  import RecoveryCodes from "../parts/RecoveryCodes.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";
  import { texts } from "../texts/texts.ts";

  let items: Passkey[] | null = $state(null);
  let hasPassword = $state(false);
  const loader = new Loader();
  let said = $state("");
  let codes: readonly string[] | null = $state(null);
  let isAdding = $state(false);
  let toRemove: Passkey | "password" | null = $state(null);

  onMount(async () => {
    await session.askOrSignIn();
    if (session.who.state === "signed-in") await loader.run(look);
  });

  async function look(): Promise<void> {
    const { body } = await call(routes.listPasskeys);
    items = body.items.map((one) => ({ ...one, name: nameOf(one) }));
    ({ hasPassword } = body);
    if (session.who.state === "signed-in") tellOfOwn(session.who.account, body);
  }

  /** Until its owner calls it something else, in the page's language. */
  function nameOf({ name, named, kind }: Passkey): string {
    return named ? name : lazy.passkeys.names[kind];
  }

  const adding = new ProofFirst(async () => {
    isAdding = true;
    try {
      const { body } = await call(routes.addPasskey, { body: await makePasskey("enrol") });
      codes = body.recoveryCodes ?? null;
      said = lazy.passkeys.isAdded(nameOf(body.passkey));
      await session.ask();
      await look();
    } finally {
      isAdding = false;
    }
  });
  const removing = new ProofFirst(async () => {
    if (toRemove === null) return;
    if (toRemove === "password") {
      await call(routes.removePassword);
      said = lazy.passkeys.thePasswordIsRemoved;
    } else {
      const { id, name } = toRemove;
      await call(routes.removePasskey, { params: { id } });
      codes = null;
      said = lazy.passkeys.isRemoved(name);
    }
    toRemove = null;
    await look();
  });
  const asked = $derived([adding, removing].find(({ wanted }) => wanted));

  function start(change: ProofFirst): void {
    said = "";
    void loader.run(change.send);
  }

  function keep(): void {
    toRemove = null;
    loader.problem = null;
  }

  async function rename({ id }: Passkey, name: string): Promise<void> {
    await loader.run(async () => {
      await call(routes.renamePasskey, { params: { id }, body: { name } });
      await look();
    });
  }
</script>

{#if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if session.who.state === "signed-in" && (items !== null || loader.problem !== null)}
  {@const { account } = session.who}
  {@const own = items ?? []}
  <PersonFrame heading={lazy.passkeys.passkeys} next={lazy.passkeys.aPasskeyIs}>
    <FormProblem problem={toRemove === null ? loader.problem : null} />
    <p role="status" class="text-verdigris mb-4">{said}</p>
    {#if asked !== undefined}
      <ProofFirstHere {account} change={asked} />
    {:else}
      {#if toRemove !== null}
        <Confirm
          question={toRemove === "password"
            ? lazy.passkeys.removeYourPassword
            : lazy.passkeys.removeIt(toRemove.name)}
          after={toRemove === "password"
            ? lazy.passkeys.afterwardsWithoutIt
            : lazy.passkeys.afterwardsItOpensNothing}
          yes={texts.secondFactor.remove}
          no={lazy.passkeys.keepIt}
          problem={loader.problem}
          act={() => start(removing)}
          leave={keep}
        />
      {/if}
      {#if codes !== null}
        <RecoveryCodes {codes} site={account.email ?? account.username ?? ""} />
      {/if}
      {#if own.length === 0}
        <p class="mb-6">{lazy.passkeys.thereIsNoneYet}</p>
      {:else}
        <ul class="divide-line border-line mb-6 divide-y border-y">
          {#each own as one (one.id)}
            <FactorRow
              {one}
              kind="{lazy.passkeys.kinds[one.kind]} · {one.backedUp
                ? lazy.passkeys.backedUp
                : lazy.passkeys.onThisDeviceOnly}"
              since={lazy.passkeys.added}
              rename={(name) => rename(one, name)}
              remove={() => (toRemove = one)}
            />
          {/each}
        </ul>
      {/if}
      {#if knowsPasskeys}
        <form
          onsubmit={(event) => {
            event.preventDefault();
            start(adding);
          }}
        >
          <MainButton
            text={own.length === 0 ? lazy.passkeys.addAPasskey : lazy.passkeys.addAnother}
            busyText={texts.passkeys.waiting}
            busy={isAdding}
          />
        </form>
      {:else}
        <Notice>{lazy.passkeys.thisBrowserKnowsNone}</Notice>
      {/if}
      {#if own.length > 0}
        <p class="mt-6">
          {lazy.passkeys.ifYouLoseThem}
          <a href={at("/account/second-factor")}>{texts.secondFactor.recoveryCodes}</a>
        </p>
      {/if}
      {#if own.length > 0 && hasPassword}
        <h2 class="mt-10 text-lg font-semibold">{lazy.passkeys.withoutAPassword}</h2>
        <p class="mt-2">{lazy.passkeys.whatIsNotThere}</p>
        <p class="mt-3">
          <ActionButton onclick={() => (toRemove = "password")}>{lazy.passkeys.removeMyPassword}</ActionButton
          >
        </p>
      {/if}
      <p class="mt-8"><a href={at("/account")}>{texts.secondFactor.yourAccount}</a></p>
    {/if}
  </PersonFrame>
{:else if session.who.state === "failed"}
  <PersonFrame heading={lazy.passkeys.passkeys} next={texts.secondFactor.thisCannotBeShownRight}>
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
