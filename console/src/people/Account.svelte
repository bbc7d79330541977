<script lang="ts">
  import type { AppHome } from "@lucchetto/contract";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { device } from "../lib/device.ts";
  import { at, call, page } from "../lib/page.ts";
  import { sentenceOf } from "../lib/sentence.ts";
  import { session } from "../lib/session.svelte.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Ago from "../parts/Ago.svelte";
  import CopyableId from "../parts/CopyableId.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import SessionBar from "../parts/SessionBar.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";
  import StatusBadge from "../parts/StatusBadge.svelte";
  import { texts } from "../texts/texts.ts";

  let reminded: string | null = $state(null);
  /** Where this person has been with the account. */
  let apps: readonly AppHome[] = $state([]);

  async function remind(): Promise<void> {
    if (session.who.state !== "signed-in" || session.who.account.email === null) return;
    try {
      const { email: identifier } = session.who.account;
      await call(routes.askForLink, { body: { purpose: "verify", identifier } });
      reminded = texts.account.aLinkIsOnIts;
    } catch (error) {
      reminded = sentenceOf(error);
    }
  }

  onMount(async () => {
    await session.askOrSignIn();
    if (session.who.state !== "signed-in") return;
    try {
      apps = (await call(routes.listOwnApps)).body.items;
    } catch {
      // The page is whole without this list, and its header leads back all the same.
    }
  });
</script>

{#if session.who.state === "signed-in"}
  {@const { account, session: current } = session.who}
  <PersonFrame
    heading={account.displayName ?? account.username ?? texts.account.yourAccount}
    next={texts.account.whatThisSiteKnowsAbout}
  >
    <dl class="divide-line border-line divide-y border-y">
      {#snippet fact(name: string, value: string | null)}
        <div class="flex flex-wrap justify-between gap-x-6 py-3">
          <dt class="text-quiet">{name}</dt>
          <dd class="break-all">{value ?? "–"}</dd>
        </div>
      {/snippet}
      {@render fact(texts.account.eMailAddress, account.email)}
      {#if account.email !== null}
        <div class="flex flex-wrap justify-between gap-x-6 py-3">
          <dt class="text-quiet">{texts.account.address}</dt>
          <dd>
            <StatusBadge
              kind={account.emailVerified ? "well" : "open"}
              text={account.emailVerified ? texts.account.verified : texts.account.notVerifiedYet}
            />
            {#if !account.emailVerified && page.mail !== "none"}
              <ActionButton kind="text" class="ml-2" onclick={remind}
                >{texts.account.sendTheLinkAgain}</ActionButton
              >
            {/if}
            <span class="text-quiet block text-sm" role="status">{reminded ?? ""}</span>
          </dd>
        </div>
      {/if}
      {@render fact(texts.account.username, account.username)}
      {#if account.language}{@render fact(
          texts.account.eMailLanguage,
          account.language === "it" ? texts.account.italian : texts.account.english,
        )}{/if}
      {#if account.labels.length > 0}{@render fact(texts.account.labels, account.labels.join(", "))}{/if}
      <div class="flex flex-wrap justify-between gap-x-6 py-3">
        <dt class="text-quiet">{texts.account.registered}</dt>
        <dd><Ago at={account.createdAt} /></dd>
      </div>
      <div class="flex flex-wrap items-center justify-between gap-x-6 py-3">
        <dt class="text-quiet">{texts.account.id}</dt>
        <dd><CopyableId id={account.id} /></dd>
      </div>
    </dl>
    {#if apps.length > 0}
      <h2 class="mt-8 text-lg font-semibold">{texts.account.yourApplications}</h2>
      <p class="text-quiet mt-1">{texts.account.whereYouUseIt}</p>
      <ul class="mt-2 space-y-1">
        {#each apps as { name, home } (home)}
          <li><a href={home}>{name}</a> <span class="text-quiet text-sm break-all">{home}</span></li>
        {/each}
      </ul>
    {/if}
    <h2 class="mt-8 text-lg font-semibold">{texts.account.thisSession}</h2>
    <p class="mt-1 mb-3">
      <Interpolate text={texts.account.signedIn} device={device(current.userAgent)}
        >{#snippet when()}<Ago at={current.authTime} />{/snippet}</Interpolate
      >
    </p>
    <SessionBar session={current} />
    <p class="mt-3"><a href={at("/account/sessions")}>{texts.account.allYourSessions}</a></p>
    <p class="mt-6">
      <ActionButton kind="main" size="lg" href={at("/sign-out")}>{texts.account.signOut}</ActionButton>
    </p>
    <ul class="mt-6 space-y-1">
      <li><a href={at("/account/details")}>{texts.account.changeNameOrLanguage}</a></li>
      {#if page.mail !== "none"}<li><a href={at("/account/email")}>{texts.account.changeAddress}</a></li>{/if}
      <li><a href={at("/account/password")}>{texts.account.changePassword}</a></li>
      <li><a href={at("/account/passkeys")}>{texts.passkeys.passkeys}</a></li>
      <li><a href={at("/account/second-factor")}>{texts.account.secondFactor}</a></li>
      <li><a href={at("/account/access-keys")}>{texts.account.keysForScripts}</a></li>
      <li><a href={at("/account/erase")}>{texts.account.yourData}</a></li>
      {#if account.labels.includes("operator") || account.labels.includes("auditor")}<li>
          <a href={at("/console")}>{texts.account.operatorsConsole}</a>
        </li>{/if}
    </ul>
  </PersonFrame>
{:else if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if session.who.state === "failed"}
  <PersonFrame heading={texts.account.yourAccount} next={texts.account.yourAccountCannotBeShown}>
    <FormProblem problem={session.who.message} />
    <p class="mt-6"><a href={at("/account")}>{texts.account.tryAgain}</a></p>
  </PersonFrame>
{/if}
