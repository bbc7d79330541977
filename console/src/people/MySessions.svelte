<script lang="ts">
  /** One's own sessions: where one is signed in, and a way to end it. */
  import type { Session } from "@lucchetto/contract";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { device } from "../lib/device.ts";
  import { Loader } from "../lib/loader.svelte.ts";
  import { at, call } from "../lib/page.ts";
  import { session } from "../lib/session.svelte.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Ago from "../parts/Ago.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import SessionBar from "../parts/SessionBar.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";
  import StatusBadge from "../parts/StatusBadge.svelte";
  import { texts } from "../texts/texts.ts";

  let items: Session[] | null = $state(null);
  const loader = new Loader();
  let said = $state("");
  const others = $derived((items ?? []).filter(({ current }) => !current));

  onMount(async () => {
    await session.askOrSignIn();
    if (session.who.state === "signed-in") await look();
  });

  async function look(): Promise<void> {
    await loader.run(async () => {
      ({ items } = (await call(routes.listOwnSessions)).body);
    });
  }

  async function end(one: Session): Promise<void> {
    await loader.run(async () => {
      await call(routes.endOwnSession, { params: { id: one.id } });
      said = texts.mySessions.isSignedOut(device(one.userAgent));
      await look();
    });
  }

  async function endOthers(): Promise<void> {
    await loader.run(async () => {
      const { ended } = (await call(routes.endOtherSessions)).body;
      said =
        ended === 1
          ? texts.mySessions.oneOtherSessionWasEnded
          : texts.mySessions.otherSessionsWereEnded(ended);
      await look();
    });
  }
</script>

{#if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if items !== null || loader.problem !== null}
  <PersonFrame heading={texts.mySessions.whereYouAreSignedIn} next={texts.mySessions.endingASessionSignsYou}>
    <FormProblem problem={loader.problem} />
    <p role="status" class="text-verdigris">{said}</p>
    <ul class="divide-line border-line mt-2 divide-y border-y">
      {#each items ?? [] as one (one.id)}
        <li class="py-4">
          <div class="mb-2 flex flex-wrap items-baseline justify-between gap-x-6 gap-y-2">
            <h2 class="font-semibold">{device(one.userAgent)}</h2>
            {#if one.current}<StatusBadge kind="well" text={texts.mySessions.thisDevice} />{:else}
              <ActionButton
                size="sm"
                aria-label={texts.mySessions.endTheSessionIn(device(one.userAgent))}
                onclick={() => end(one)}>{texts.mySessions.end}</ActionButton
              >
            {/if}
          </div>
          <p class="text-quiet mb-3 text-sm">
            <Interpolate text={texts.mySessions.fromStartedLastUsed}
              >{#snippet network()}<code>{one.network ?? texts.mySessions.unknown}</code
                >{/snippet}{#snippet begun()}<Ago at={one.createdAt} />{/snippet}{#snippet seen()}<Ago
                  at={one.lastSeenAt}
                />{/snippet}</Interpolate
            >
          </p>
          <SessionBar session={one} />
        </li>
      {/each}
    </ul>
    {#if others.length > 0}
      <p class="mt-6">
        <ActionButton kind="main" size="lg" onclick={endOthers}>{texts.mySessions.endAllOthers}</ActionButton>
      </p>
      <p class="text-quiet mt-3 text-sm">
        {texts.mySessions.dontRecogniseOneEndIt}
        <a href={at("/account/password")}>{texts.mySessions.changeYourPassword}</a>.
      </p>
    {:else if items !== null}
      <p class="text-quiet mt-6">{texts.mySessions.youAreNotSignedIn}</p>
    {/if}
    <p class="mt-6"><a href={at("/account")}>{texts.mySessions.yourAccount}</a></p>
  </PersonFrame>
{/if}
