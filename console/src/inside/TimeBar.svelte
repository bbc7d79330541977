<script lang="ts">
  /** Where the time of a request went: a bar and its legend. */
  import type { RequestTrace } from "@lucchetto/contract";
  import { texts } from "./texts.ts";

  const { trace }: { trace: RequestTrace } = $props();
  const whole = $derived(Math.max(trace.milliseconds, 0.1));
</script>

<figure aria-label={texts.time}>
  <div class="bar" aria-hidden="true">
    {#each trace.time as { what, milliseconds } (what)}
      <span class={what} style:width="{(100 * milliseconds) / whole}%"></span>
    {/each}
  </div>
  <figcaption>
    {#each trace.time as { what, milliseconds, count } (what)}
      <span
        ><i class={what} aria-hidden="true"></i>{texts.part[what]}
        {texts.milliseconds(milliseconds)}{count === null ? "" : ` (${count})`}</span
      >
    {/each}
  </figcaption>
</figure>

<style>
  .bar {
    display: flex;
    height: 0.875rem;
    margin-top: 0.75rem;
    overflow: hidden;
    border-radius: 0.25rem;
    background: var(--line);
  }
  figcaption {
    display: flex;
    flex-wrap: wrap;
    gap: 0.25rem 1.25rem;
    margin-top: 0.375rem;
    color: var(--quiet);
  }
  i {
    display: inline-block;
    width: 0.75rem;
    height: 0.75rem;
    margin-inline-end: 0.375rem;
    border-radius: 0.125rem;
    vertical-align: -0.0625rem;
  }
  .hashing {
    background: var(--brass);
  }
  .database {
    background: var(--verdigris);
  }
  .webhook {
    background: var(--link);
  }
  .rest {
    background: var(--line);
    box-shadow: inset 0 0 0 1px var(--quiet);
  }
</style>
