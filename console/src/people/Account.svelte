<script lang="ts">
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { device } from "../lib/device.ts";
  import { at, call, page } from "../lib/page.ts";
  import { session } from "../lib/session.svelte.ts";
  import Ago from "../parts/Ago.svelte";
  import CopyableId from "../parts/CopyableId.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import SessionBar from "../parts/SessionBar.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";
  import StateWord from "../parts/StateWord.svelte";

  let reminded: string | null = $state(null);

  async function remind(): Promise<void> {
    if (session.who.state !== "signed-in" || session.who.account.email === null) return;
    try {
      const { email: identifier } = session.who.account;
      await call(routes.askForLink, { body: { purpose: "verify", identifier } });
      reminded = "A link is on its way.";
    } catch (error) {
      reminded = (error as Error).message;
    }
  }

  onMount(async () => {
    await session.askOrSignIn();
  });
</script>

{#if session.who.state === "signed-in"}
  {@const { account, session: current } = session.who}
  <PersonFrame
    heading={account.displayName ?? account.username ?? "Your account"}
    next="This is how you are known here."
  >
    <dl class="divide-line border-line divide-y border-y">
      {#snippet fact(name: string, value: string | null)}
        <div class="flex flex-wrap justify-between gap-x-6 py-3">
          <dt class="text-quiet">{name}</dt>
          <dd class="break-all">{value ?? "–"}</dd>
        </div>
      {/snippet}
      {@render fact("E-mail address", account.email)}
      {#if account.email !== null}
        <div class="flex flex-wrap justify-between gap-x-6 py-3">
          <dt class="text-quiet">Address</dt>
          <dd>
            <StateWord
              kind={account.emailVerified ? "well" : "open"}
              text={account.emailVerified ? "verified" : "not verified yet"}
            />
            {#if !account.emailVerified && page.mail !== "none"}
              <button type="button" class="text-link ml-2 min-h-6 underline" onclick={remind}
                >Send the link again</button
              >
            {/if}
            <span class="text-quiet block text-sm" role="status">{reminded ?? ""}</span>
          </dd>
        </div>
      {/if}
      {@render fact("Username", account.username)}
      {#if account.language}{@render fact("Mails in", account.language === "it" ? "Italian" : "English")}{/if}
      {#if account.labels.length > 0}{@render fact("Labels", account.labels.join(", "))}{/if}
      <div class="flex flex-wrap justify-between gap-x-6 py-3">
        <dt class="text-quiet">Registered</dt>
        <dd><Ago at={account.createdAt} /></dd>
      </div>
      <div class="flex flex-wrap items-center justify-between gap-x-6 py-3">
        <dt class="text-quiet">Id</dt>
        <dd><CopyableId id={account.id} /></dd>
      </div>
    </dl>
    <h2 class="mt-8 text-lg font-semibold">This session</h2>
    <p class="mt-1 mb-3">{device(current.userAgent)}, signed in <Ago at={current.authTime} /></p>
    <SessionBar session={current} />
    <p class="mt-3"><a href={at("/account/sessions")}>All your sessions</a></p>
    <p class="mt-6">
      <a
        href={at("/sign-out")}
        class="bg-brass text-on-brass inline-block rounded-lg px-6 py-3 font-semibold no-underline hover:brightness-110"
        >Sign out</a
      >
    </p>
    <ul class="mt-6 space-y-1">
      <li><a href={at("/account/details")}>Change name or language</a></li>
      {#if page.mail !== "none"}<li><a href={at("/account/email")}>Change address</a></li>{/if}
      <li><a href={at("/account/password")}>Change password</a></li>
      <li><a href={at("/account/second-factor")}>Second factor</a></li>
      <li><a href={at("/account/access-keys")}>Keys for scripts</a></li>
      <li><a href={at("/account/erase")}>Your data</a></li>
      {#if account.labels.includes("operator")}<li><a href={at("/console")}>Operators’ console</a></li>{/if}
    </ul>
  </PersonFrame>
{:else if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if session.who.state === "failed"}
  <PersonFrame heading="Your account" next="It cannot be shown at the moment.">
    <FormProblem problem={session.who.message} />
    <p class="mt-6"><a href={at("/account")}>Try again</a></p>
  </PersonFrame>
{/if}
