<script lang="ts">
  /** What was set up before the address was proved: what goes, and what stays, each with "Not mine". */
  import type { LinkLook, SetUpThing } from "@lucchetto/contract";
  import { day } from "../lib/time.ts";
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";
  import Checkbox from "./Checkbox.svelte";

  interface Props {
    setUp: NonNullable<LinkLook["setUp"]>;
    /** Everything but keys stays: something of it is shown. */
    isShown?: boolean;
    /** Ids of what is not one's own; without it nothing can be ticked. */
    notMine?: string[];
  }
  let { setUp, isShown = false, notMine = $bindable() }: Props = $props();
  const isKey = ({ kind }: SetUpThing): boolean => kind === "access-key";
  const stays = $derived(
    isShown ? [...setUp.stays, ...setUp.goes.filter((one) => !isKey(one))] : setUp.stays,
  );
  const goes = $derived(isShown ? setUp.goes.filter(isKey) : setUp.goes);

  function nameOf({ kind, name, at }: SetUpThing): string {
    const what = lazy.setUp.kinds[kind](name ?? "");
    return at === null ? what : `${what}, ${lazy.setUp.since(day(at))}`;
  }

  function tick(id: string, isTicked: boolean): void {
    const others = (notMine ?? []).filter((one) => one !== id);
    notMine = isTicked ? [...others, id] : others;
  }
</script>

{#if goes.length > 0}
  <div class="border-brass bg-slab rounded-lg border-2 p-4" data-set-up="goes">
    <p class="font-semibold">{lazy.setUp.thisGoes}</p>
    <ul class="mt-2 list-disc ps-5">
      {#each goes as one (one.id)}<li>{nameOf(one)}</li>{/each}
    </ul>
  </div>
{/if}
{#if stays.length > 0}
  <div class="border-line rounded-lg border p-4" data-set-up="stays">
    <p class="font-semibold">{lazy.setUp.thisStays}</p>
    <ul class="mt-2 space-y-2">
      {#each stays as one (one.id)}
        <li class="flex flex-wrap items-baseline justify-between gap-x-4">
          <span>{nameOf(one)}</span>
          {#if notMine !== undefined}
            <Checkbox
              name={`notMine-${one.id}`}
              bind:checked={() => notMine?.includes(one.id) ?? false, (ticked) => tick(one.id, ticked)}
              >{lazy.setUp.notMine}<span class="sr-only"> {nameOf(one)}</span></Checkbox
            >
          {/if}
        </li>
      {/each}
    </ul>
  </div>
{/if}
