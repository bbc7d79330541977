<script lang="ts">
  /** One's own sessions: where one is signed in, and a way to end it. */
  import type { Session } from "@lucchetto/contract";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { device } from "../lib/device.ts";
  import { at, call } from "../lib/page.ts";
  import { session } from "../lib/session.svelte.ts";
  import Ago from "../parts/Ago.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import SessionBar from "../parts/SessionBar.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";
  import StateWord from "../parts/StateWord.svelte";

  let items: Session[] | null = $state(null);
  let problem: string | null = $state(null);
  let said = $state("");
  const others = $derived((items ?? []).filter(({ current }) => !current));

  onMount(async () => {
    await session.askOrSignIn();
    if (session.who.state === "signed-in") await look();
  });

  async function look(): Promise<void> {
    try {
      ({ items } = (await call(routes.listOwnSessions)).body);
      problem = null;
    } catch (error) {
      problem = (error as Error).message;
    }
  }

  async function end(one: Session): Promise<void> {
    try {
      await call(routes.endOwnSession, { params: { id: one.id } });
      said = `${device(one.userAgent)} is signed out.`;
      await look();
    } catch (error) {
      problem = (error as Error).message;
    }
  }

  async function endOthers(): Promise<void> {
    try {
      const { ended } = (await call(routes.endOtherSessions)).body;
      said = ended === 1 ? "One other session was ended." : `${ended} other sessions were ended.`;
      await look();
    } catch (error) {
      problem = (error as Error).message;
    }
  }
</script>

{#if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if items !== null || problem !== null}
  <PersonFrame
    heading="Where you are signed in"
    next="What you end here is over in every application at once."
  >
    <FormProblem {problem} />
    <p role="status" class="text-verdigris">{said}</p>
    <ul class="divide-line border-line mt-2 divide-y border-y">
      {#each items ?? [] as one (one.id)}
        <li class="py-4">
          <div class="mb-2 flex flex-wrap items-baseline justify-between gap-x-6 gap-y-2">
            <h2 class="font-semibold">{device(one.userAgent)}</h2>
            {#if one.current}<StateWord kind="well" text="this one" />{:else}
              <button
                type="button"
                class="border-line bg-slab min-h-6 rounded border px-3 py-1 text-sm"
                aria-label="End it: the session in {device(one.userAgent)}"
                onclick={() => end(one)}>End it</button
              >
            {/if}
          </div>
          <p class="text-quiet mb-3 text-sm">
            from <code>{one.network ?? "unknown"}</code>, begun <Ago at={one.createdAt} />, last used
            <Ago at={one.lastSeenAt} />
          </p>
          <SessionBar session={one} />
        </li>
      {/each}
    </ul>
    {#if others.length > 0}
      <p class="mt-6">
        <button
          type="button"
          class="bg-brass text-on-brass rounded-lg px-6 py-3 font-semibold"
          onclick={endOthers}>End all others</button
        >
      </p>
      <p class="text-quiet mt-3 text-sm">
        Something here that is not yours? End it, then <a href={at("/account/password")}
          >change your password</a
        >.
      </p>
    {:else if items !== null}
      <p class="text-quiet mt-6">You are signed in nowhere else.</p>
    {/if}
    <p class="mt-6"><a href={at("/account")}>Your account</a></p>
  </PersonFrame>
{/if}
