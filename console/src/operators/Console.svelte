<script lang="ts">
  /** The console's frame: a narrow rail of plain words, and one search. */
  import type { Snippet } from "svelte";
  import { onMount } from "svelte";
  import { at, go, page } from "../lib/page.ts";
  import { session } from "../lib/session.svelte.ts";
  import ClockControl from "../parts/ClockControl.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Mark from "../parts/Mark.svelte";
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

{#if session.who.state === "signed-in" && maySee(session.who.account.labels)}
  <div class="min-h-dvh md:grid md:grid-cols-[11rem_1fr]">
    <aside class="border-line border-b p-4 md:border-r md:border-b-0 md:p-5">
      <a href={at("/console/accounts")} class="text-ink flex items-center gap-2 font-semibold no-underline">
        <Mark size={26} />{page.site.name}
      </a>
      <nav aria-label={texts.console.console} class="mt-3 md:mt-8">
        <ul class="flex flex-wrap gap-1 md:flex-col">
          {#each RAIL as [word, path] (path)}
            <li>
              <a
                href={at(path)}
                aria-current={isHere(path) ? "page" : undefined}
                class={[
                  "block rounded px-3 py-1.5 no-underline",
                  isHere(path)
                    ? "bg-gray-200 text-ink font-semibold dark:bg-gray-700"
                    : "text-quiet hover:text-ink",
                ]}>{word}</a
              >
            </li>
          {/each}
        </ul>
      </nav>
    </aside>
    <div class="min-w-0 p-4 md:px-8 md:py-5">
      <header class="mb-6 flex flex-wrap items-center justify-between gap-4">
        <form role="search" onsubmit={find} class="flex w-full max-w-md gap-2">
          <input
            type="search"
            name="search"
            bind:value={search}
            aria-label={texts.console.findAnAccountOrA}
            placeholder={texts.console.addressUsernameIdReferenceRequest}
            class="border-line bg-slab placeholder:text-quiet w-full rounded-lg border px-3 py-2 text-base"
          />
          <button type="submit" class="border-line bg-slab rounded-lg border px-4 py-2"
            >{texts.console.find}</button
          >
        </form>
        <p class="text-quiet text-sm">
          {session.who.account.email ?? session.who.account.username} ·
          <a href={at("/account")}>{texts.console.account}</a> ·
          <a href={at("/sign-out")}>{texts.console.signOut}</a>
        </p>
      </header>
      {#if !session.who.account.labels.includes("operator")}
        <p class="border-brass mb-6 rounded-md border-l-4 px-4 py-2" role="status">
          {texts.console.youAreHereAsAn}
        </p>
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
      <button type="button" class="text-link underline" onclick={() => go(window.location.href)}
        >{texts.console.tryAgain}</button
      >
    </p>
  </PersonFrame>
{/if}
