<script lang="ts">
  /** The console's frame: a narrow rail of plain words, and one search. */
  import { Input, Sidebar, SidebarButton, SidebarGroup, SidebarItem } from "flowbite-svelte";
  import type { Snippet } from "svelte";
  import { onMount } from "svelte";
  import { MediaQuery } from "svelte/reactivity";
  import { at, go, page } from "../lib/page.ts";
  import { session } from "../lib/session.svelte.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import ClockControl from "../parts/ClockControl.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Mark from "../parts/Mark.svelte";
  import Notice from "../parts/Notice.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";
  import { navigate, route } from "../routes.ts";
  import { consoleTexts as texts } from "../texts/console.ts";
  import ProofDialog from "./ProofDialog.svelte";

  const { children }: { children: Snippet } = $props();

  const RAIL = [
    [texts.console.accounts, "/console/accounts"],
    [texts.console.sessions, "/console/sessions"],
    [texts.console.signIns, "/console/sign-ins"],
    [texts.console.journal, "/console/journal"],
    [texts.console.mail, "/console/mail"],
    [texts.console.hashes, "/console/hashes"],
    [texts.console.apps, "/console/apps"],
    [texts.console.webhooks, "/console/webhooks"],
    [texts.console.movingIn, "/console/moving-in"],
    ...(page.mode === "development" ? [[texts.console.rehearsal, "/console/rehearsal"] as const] : []),
  ] as const;
  /** Request ids are random (version 4), ids of records carry their time (version 7). */
  const REQUEST_ID = /^[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-/;

  const isWide = new MediaQuery("width >= 48rem");
  let isRailOpen = $state(false);
  let search = $state(new URLSearchParams(window.location.search).get("search") ?? "");
  const here = $derived(route.pathname.slice(page.basePath.length));

  onMount(async () => {
    await session.askOrSignIn();
  });

  function find(event: SubmitEvent): void {
    event.preventDefault();
    const wanted = search.trim();
    if (REQUEST_ID.test(wanted)) navigate("/console/journal", { search: { requestId: wanted } });
    else navigate("/console/accounts", { search: wanted === "" ? {} : { search: wanted } });
  }

  const maySee = (labels: readonly string[]): boolean =>
    labels.includes("operator") || labels.includes("auditor");

  function isHere(path: string): boolean {
    return here.startsWith(path) || (path === "/console/accounts" && here === "/console");
  }
</script>

{#snippet site()}
  <a href={at("/console/accounts")} class="text-ink flex items-center gap-2 font-semibold no-underline">
    <Mark size={26} />{page.site.name}
  </a>
{/snippet}

{#if session.who.state === "signed-in" && maySee(session.who.account.labels)}
  <div class="min-h-dvh md:grid md:grid-cols-[11rem_1fr]">
    <div class="border-line flex items-center justify-between border-b p-4 md:hidden">
      {@render site()}
      <SidebarButton
        onclick={() => (isRailOpen = !isRailOpen)}
        aria-expanded={isRailOpen}
        aria-label={texts.console.menu}
        class="text-ink dark:text-ink"
      />
    </div>
    <Sidebar
      alwaysOpen={isWide.current}
      isOpen={isRailOpen}
      closeSidebar={() => (isRailOpen = false)}
      position={isWide.current ? "static" : "fixed"}
      transition={() => ({ duration: 0 })}
      class="bg-paper dark:bg-paper border-line h-full border-r md:w-auto"
      classes={{
        div: "bg-paper dark:bg-paper h-full p-4 md:p-5",
        active: "text-ink dark:text-ink block rounded px-3 py-1.5 font-semibold no-underline",
        nonactive:
          "text-quiet dark:text-quiet hover:text-ink dark:hover:text-ink block rounded px-3 py-1.5 no-underline hover:bg-transparent dark:hover:bg-transparent",
      }}
    >
      {@render site()}
      <nav aria-label={texts.console.console} class="mt-4 md:mt-8">
        <SidebarGroup class="space-y-1">
          {#each RAIL as [word, path] (path)}
            <SidebarItem label={word} href={at(path)} active={isHere(path)} spanClass="" />
          {/each}
        </SidebarGroup>
      </nav>
    </Sidebar>
    <div class="min-w-0 p-4 md:px-8 md:py-5">
      <header class="mb-6 flex flex-wrap items-center justify-between gap-4">
        <form role="search" onsubmit={find} class="flex w-full max-w-md gap-2">
          <Input
            type="search"
            name="search"
            bind:value={search}
            aria-label={texts.console.findAnAccountOrA}
            placeholder={texts.console.addressUsernameIdReferenceRequest}
            class="border-line bg-slab text-ink placeholder:text-quiet dark:border-line dark:bg-slab dark:text-ink dark:placeholder:text-quiet text-base"
          />
          <ActionButton type="submit">{texts.console.find}</ActionButton>
        </form>
        <p class="text-quiet text-sm">
          {session.who.account.email ?? session.who.account.username} ·
          <a href={at("/account")}>{texts.console.account}</a> ·
          <a href={at("/sign-out")}>{texts.console.signOut}</a>
        </p>
      </header>
      {#if !session.who.account.labels.includes("operator")}
        <Notice class="mb-6">{texts.console.youAreHereAsAn}</Notice>
      {/if}
      <main>{@render children()}</main>
      <ProofDialog />
      {#if page.mode === "development"}
        <footer class="border-line mt-10 border-t pt-4"><ClockControl /></footer>
      {/if}
    </div>
  </div>
{:else if session.who.state === "signed-in"}
  <PersonFrame heading={texts.console.forOperatorsOnly} next={texts.console.yourAccountHasNeitherThe}>
    <p><a href={at("/account")}>{texts.console.yourAccount}</a></p>
  </PersonFrame>
{:else if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
  {#if page.mode === "development"}
    <!-- Whoever moved the clock past the session's end sets it right from here. -->
    <footer class="mx-auto max-w-md px-4 pb-10"><ClockControl /></footer>
  {/if}
{:else if session.who.state === "failed"}
  <PersonFrame heading={texts.console.console} next={texts.console.thisCannotBeShownRight}>
    <FormProblem problem={session.who.message} />
    <p class="mt-6">
      <ActionButton kind="text" onclick={() => go(window.location.href)}
        >{texts.console.tryAgain}</ActionButton
      >
    </p>
  </PersonFrame>
{/if}
