<script lang="ts">
  /** The drawer: the last requests of this browser, and one of them taken apart. */
  import type { RequestTrace } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { call } from "../lib/page.ts";
  import { texts } from "./texts.ts";
  import Trace from "./Trace.svelte";

  const { close }: { close: () => void } = $props();

  /** Milliseconds between two looks. */
  const LOOK_EVERY = 1_500;
  const SHOWN = 30;

  let items = $state.raw<readonly RequestTrace[] | null>(null);
  let isAway = $state(false);
  /** The request that was chosen; `null`: the newest that did something. */
  let chosen = $state<string | null>(null);
  let heading = $state<HTMLElement | null>(null);

  /** Whether it wrote anything, or was refused: that is what one wants to see first. */
  const didSomething = ({ rows, status }: RequestTrace): boolean => rows.length > 0 || status >= 400;
  const shown = $derived(
    items?.find(({ requestId }) => requestId === chosen) ?? items?.find(didSomething) ?? items?.[0],
  );

  async function look(): Promise<void> {
    try {
      const { body } = await call(routes.listTraces, { query: { of: "browser", limit: SHOWN } });
      items = body.items;
      isAway = false;
    } catch {
      // The drawer itself says that the service does not answer.
      isAway = true;
    }
  }

  $effect(() => {
    void look();
    const timer = setInterval(() => void look(), LOOK_EVERY);
    return () => clearInterval(timer);
  });
  $effect(() => heading?.focus());
</script>

<svelte:window onkeydown={({ key }) => key === "Escape" && close()} />

<section class="drawer">
  <header>
    <h2 tabindex="-1" bind:this={heading}>{texts.lookInside}</h2>
    <button type="button" onclick={close}>{texts.close}</button>
  </header>
  {#if isAway}<p role="status" class="bad">{texts.notReachable}</p>{/if}
  {#if items !== null && shown === undefined}
    <p class="quiet">{texts.nothingYet}</p>
  {:else if items !== null && shown !== undefined}
    <nav aria-label={texts.requests}>
      <ul>
        {#each items as one (one.requestId)}
          <li>
            <button
              type="button"
              aria-current={one.requestId === shown.requestId}
              onclick={() => (chosen = one.requestId)}
            >
              <time datetime={one.at}>{one.at.slice(11, 19)}</time>
              <span class="path">{one.method} {one.path}</span>
              <span class={one.status >= 400 ? "bad" : "good"}>{one.status}</span>
            </button>
          </li>
        {/each}
      </ul>
    </nav>
    <Trace trace={shown} />
  {/if}
</section>

<style>
  .drawer {
    position: fixed;
    inset: 0 0 0 auto;
    z-index: 40;
    width: min(46rem, 100vw);
    overflow-y: auto;
    border-left: 1px solid var(--line);
    background: var(--paper);
    padding: 1rem 1.25rem 2rem;
    font-size: 0.875rem;
    box-shadow: -0.5rem 0 1.5rem rgb(0 0 0 / 12%);
  }
  header {
    display: flex;
    align-items: center;
    justify-content: space-between;
    gap: 1rem;
  }
  h2 {
    font-size: 1.1875rem;
    font-weight: 600;
  }
  h2:focus {
    outline: none;
  }
  header button {
    border: 1px solid var(--line);
    border-radius: 0.375rem;
    background: var(--slab);
    padding: 0.25rem 0.75rem;
  }
  nav {
    max-height: 11.5rem;
    margin-top: 0.75rem;
    overflow-y: auto;
    border: 1px solid var(--line);
    border-radius: 0.5rem;
    background: var(--slab);
  }
  nav button {
    display: flex;
    width: 100%;
    gap: 0.75rem;
    padding: 0.3rem 0.75rem;
    text-align: start;
  }
  nav button[aria-current="true"] {
    background: var(--paper);
    box-shadow: inset 3px 0 0 var(--brass);
    font-weight: 600;
  }
  nav time {
    color: var(--quiet);
    font-variant-numeric: tabular-nums;
  }
  .path {
    flex: 1;
    min-width: 0;
    overflow-wrap: anywhere;
    font-family: var(--font-mono);
  }
  .quiet {
    margin-top: 1rem;
    color: var(--quiet);
  }
  .good {
    color: var(--verdigris);
  }
  .bad {
    color: var(--rust);
  }
  @media (max-width: 45rem) {
    .drawer {
      inset: auto 0 0;
      width: auto;
      height: 85dvh;
      border-top: 1px solid var(--line);
      border-left: 0;
      border-radius: 0.75rem 0.75rem 0 0;
    }
  }
</style>
