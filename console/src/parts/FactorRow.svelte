<script lang="ts">
  /** One of somebody's own second factors in a list: what it is, renamed in place, or removed. */
  import { tick } from "svelte";
  import { texts } from "../texts/texts.ts";
  import ActionButton from "./ActionButton.svelte";
  import Ago from "./Ago.svelte";
  import Field from "./Field.svelte";
  import Interpolate from "./Interpolate.svelte";

  interface Props {
    one: { readonly name: string; readonly createdAt: string; readonly lastUsedAt: string | null };
    /** What kind of thing it is. */
    kind?: string;
    /** Since when it is there, with `{when}`. */
    since: string;
    rename: (name: string) => Promise<void>;
    remove: () => void;
  }
  const { one, kind, since, rename, remove }: Props = $props();
  let typed: string | null = $state(null);

  async function begin(): Promise<void> {
    typed = one.name;
    await tick();
    document.querySelector<HTMLInputElement>("#name")?.select();
  }

  async function keep(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (typed === null || typed.trim() === "") return;
    await rename(typed.trim());
    typed = null;
  }
</script>

<li class="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-2 py-3">
  {#if typed !== null}
    <form class="flex w-full flex-wrap items-end gap-3" onsubmit={keep}>
      <div class="grow">
        <Field name="name" label={texts.secondFactor.name} autocomplete="off" bind:value={typed} />
      </div>
      <ActionButton type="submit">{texts.secondFactor.save}</ActionButton>
    </form>
  {:else}
    <div>
      <h2 class="font-semibold">{one.name}</h2>
      <p class="text-quiet text-sm">
        {#if kind !== undefined}{kind} ·{/if}
        <Interpolate text={since}>{#snippet when()}<Ago at={one.createdAt} />{/snippet}</Interpolate>,
        {#if one.lastUsedAt === null}{texts.secondFactor.neverUsed}{:else}<Interpolate
            text={texts.secondFactor.lastUsed}
            >{#snippet when()}<Ago at={one.lastUsedAt ?? ""} />{/snippet}</Interpolate
          >{/if}
      </p>
    </div>
    <div class="flex gap-3">
      <ActionButton size="sm" aria-label={texts.secondFactor.renameNamed(one.name)} onclick={begin}
        >{texts.secondFactor.rename}</ActionButton
      >
      <ActionButton
        kind="danger"
        size="sm"
        aria-label={texts.secondFactor.removeNamed(one.name)}
        onclick={remove}>{texts.secondFactor.remove}</ActionButton
      >
    </div>
  {/if}
</li>
