<script lang="ts">
  /** A session's life as a bar between its two limits: what has passed, where it ends if nobody comes back, where in any case. */
  import type { Session } from "@lucchetto/contract";
  import { ago, exact } from "../lib/time.ts";
  import { texts } from "../texts/texts.ts";
  import Interpolate from "./Interpolate.svelte";

  const { session, endedAt = null }: { session: Session; endedAt?: string | null } = $props();
  const from = $derived(new Date(session.createdAt).getTime());
  const length = $derived(new Date(session.endsAt).getTime() - from);
  const share = (iso: string) =>
    `${Math.min(100, Math.max(0, ((new Date(iso).getTime() - from) / length) * 100)).toFixed(2)}%`;
  const shownUntil = $derived(endedAt ?? session.lastSeenAt);
</script>

<div class="w-full min-w-40">
  <div class="border-line relative h-2.5 rounded-full border bg-gray-100 dark:bg-gray-800" aria-hidden="true">
    {#if endedAt === null}
      <div
        class="absolute inset-y-0 left-0 rounded-full bg-green-100 dark:bg-green-900"
        style:width={share(session.idleEndsAt)}
      ></div>
    {/if}
    <div
      class={[
        "absolute inset-y-0 left-0 min-w-1 rounded-full",
        endedAt === null ? "bg-verdigris" : "bg-gray-400",
      ]}
      style:width={share(shownUntil)}
    ></div>
    {#if endedAt === null}
      <div class="bg-brass absolute -inset-y-1 w-0.5" style:left={share(session.idleEndsAt)}></div>
    {/if}
  </div>
  <p class="text-quiet mt-1.5 text-sm">
    {#if endedAt === null}
      <Interpolate text={texts.sessionBar.ends}
        >{#snippet idle()}<span title={exact(session.idleEndsAt)}>{ago(session.idleEndsAt)}</span
          >{/snippet}{#snippet end()}<span title={exact(session.endsAt)}>{ago(session.endsAt)}</span
          >{/snippet}</Interpolate
      >
    {:else}
      <Interpolate text={texts.sessionBar.ended}
        >{#snippet when()}<span title={exact(endedAt)}>{ago(endedAt)}</span>{/snippet}</Interpolate
      >
    {/if}
  </p>
</div>
