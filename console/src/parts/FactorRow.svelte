<script lang="ts">
  /** One of somebody's own second factors in a list: what it is, renamed in place, or removed. */
  import type { Snippet } from "svelte";
  import { tick } from "svelte";
  import { texts } from "../texts/texts.ts";
  import Field from "./Field.svelte";

  interface Props {
    name: string;
    /** The quiet line below the name. */
    details: Snippet;
    rename: (name: string) => Promise<void>;
    remove: () => void;
  }
  const { name, details, rename, remove }: Props = $props();
  let typed: string | null = $state(null);

  async function begin(): Promise<void> {
    typed = name;
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
        <Field name="name" label={texts.secondFactor.howYouCallIt} autocomplete="off" bind:value={typed} />
      </div>
      <button type="submit" class="border-line bg-slab rounded border px-4 py-2"
        >{texts.secondFactor.keep}</button
      >
    </form>
  {:else}
    <div>
      <h2 class="font-semibold">{name}</h2>
      <p class="text-quiet text-sm">{@render details()}</p>
    </div>
    <div class="flex gap-3">
      <button
        type="button"
        class="border-line bg-slab min-h-6 rounded border px-3 py-1 text-sm"
        aria-label={texts.secondFactor.renameNamed(name)}
        onclick={begin}>{texts.secondFactor.rename}</button
      >
      <button
        type="button"
        class="border-rust text-rust bg-slab min-h-6 rounded border px-3 py-1 text-sm"
        aria-label={texts.secondFactor.removeNamed(name)}
        onclick={remove}>{texts.secondFactor.remove}</button
      >
    </div>
  {/if}
</li>
