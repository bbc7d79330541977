<script lang="ts">
  /** Taking one's data along, and having everything erased. */
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { Loader } from "../lib/loader.svelte.ts";
  import { at, call, page } from "../lib/page.ts";
  import { ProofFirst } from "../lib/proof-first.svelte.ts";
  import { session } from "../lib/session.svelte.ts";
  import { tellTabs } from "../lib/tabs.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Checkbox from "../parts/Checkbox.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import ProofFirstHere from "../parts/ProofFirstHere.svelte";
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";

  const form = new Form();
  let isSure = $state(false);
  let isErased = $state(false);

  onMount(async () => {
    await session.askOrSignIn();
  });

  const proof = new ProofFirst(async () => {
    await call(routes.eraseOwnAccount);
    isErased = true;
    tellTabs();
  });
  /** Everything in one file; it says much of its owner, so it wants a proof of the last minutes. */
  const download = new ProofFirst(async () => {
    const { body } = await call(routes.exportOwnData);
    const file = URL.createObjectURL(new Blob([JSON.stringify(body, null, 2)], { type: "application/json" }));
    Object.assign(document.createElement("a"), { href: file, download: "my-data.json" }).click();
    URL.revokeObjectURL(file);
  });
  const taking = new Loader();
  const judge = (): Record<string, string> => {
    form.problem = isSure ? null : lazy.eraseOneself.tickTheBoxToConfirm;
    return isSure ? {} : { isSure: "" };
  };
</script>

{#if isErased}
  <PersonFrame
    heading={page.eraseAfter === null
      ? lazy.eraseOneself.yourAccountIsErased
      : lazy.erase.yourAccountIsClosed}
    next={page.eraseAfter === null
      ? lazy.eraseOneself.onlyLogEntriesThatName
      : lazy.erase.itsRowsGo(page.eraseAfter)}
  >
    <p role="status"><a href={at("/register")}>{lazy.eraseOneself.startOver}</a></p>
  </PersonFrame>
{:else if session.who.state === "signed-in"}
  {@const { account } = session.who}
  <PersonFrame heading={lazy.eraseOneself.yourData} next={lazy.eraseOneself.downloadYourDataOrErase}>
    <p>
      <ActionButton kind="text" onclick={() => taking.run(download.send)}
        >{lazy.eraseOneself.downloadMyData}</ActionButton
      >
      {lazy.eraseOneself.exportContents}
    </p>
    <FormProblem problem={taking.problem} />
    {#if download.wanted}<ProofFirstHere {account} change={download} />{/if}
    <h2 class="mt-8 text-lg font-semibold">{lazy.eraseOneself.eraseMyAccount}</h2>
    <p class="mt-2 mb-4">
      <Interpolate
        text={page.eraseAfter === null
          ? lazy.erase.everythingOfAtOnce
          : lazy.erase.everythingOf(page.eraseAfter)}
        >{#snippet name()}<strong class="break-all">{account.email ?? account.username}</strong
          >{/snippet}</Interpolate
      >
    </p>
    {#if proof.wanted}
      <ProofFirstHere {account} change={proof} />
    {:else}
      <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, proof.send)}>
        <FormProblem problem={form.problem} />
        <Checkbox name="isSure" bind:checked={isSure}>{lazy.eraseOneself.yesEraseMyAccount}</Checkbox>
        <ActionButton kind="danger" size="lg" type="submit" aria-disabled={form.sending}
          >{lazy.eraseOneself.eraseMyAccount}</ActionButton
        >
      </form>
    {/if}
    <p class="mt-6"><a href={at("/account")}>{lazy.eraseOneself.yourAccount}</a></p>
  </PersonFrame>
{:else if session.who.state === "failed"}
  <PersonFrame heading={lazy.eraseOneself.yourData} next={lazy.eraseOneself.thisCannotBeShownRight}>
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
