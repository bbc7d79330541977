<script lang="ts">
  /** Closes an account, asking once more before it does, or opens it again. */
  import type { OperatorAccount } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { Loader } from "../lib/loader.svelte.ts";
  import { operate } from "../lib/operate.svelte.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import { navigate } from "../routes.ts";
  import { consoleTexts as texts } from "../texts/console.ts";

  interface Props {
    account: OperatorAccount;
    /** Called after the state has changed. */
    changed: () => void;
  }
  const { account, changed }: Props = $props();
  let asking = $state(false);
  let erasing = $state(false);
  const loader = new Loader();

  async function erase(): Promise<void> {
    const isDone = await loader.run(async () => {
      await operate(routes.eraseAccount, { params: { id: account.id } });
      navigate("/console/accounts");
    });
    if (!isDone) erasing = false;
  }

  async function set(
    body: { state: "active" | "suspended" } | { mustChangePassword: boolean },
  ): Promise<void> {
    await loader.run(async () => {
      await operate(routes.changeAccount, { params: { id: account.id }, body });
      asking = false;
      changed();
    });
  }
</script>

<FormProblem problem={loader.problem} />
<div class="mt-3 flex flex-wrap items-center gap-3">
  {#if account.state === "suspended" || account.state === "closed"}
    <button
      type="button"
      class="border-line bg-slab rounded border px-3 py-1"
      onclick={() => set({ state: "active" })}>{texts.accountState.restore}</button
    >
    <span class="text-quiet text-sm">{texts.accountState.sessionsThatHaveEndedStay}</span>
  {:else if asking}
    <span>{texts.accountState.suspendThisAccountAndEnd}</span>
    <button
      type="button"
      class="border-rust text-rust rounded border px-3 py-1"
      onclick={() => set({ state: "suspended" })}>{texts.accountState.suspendIt}</button
    >
    <button
      type="button"
      class="border-line bg-slab rounded border px-3 py-1"
      onclick={() => (asking = false)}>{texts.accountState.cancel}</button
    >
  {:else}
    <button
      type="button"
      class="border-rust text-rust rounded border px-3 py-1"
      onclick={() => (asking = true)}>{texts.accountState.suspend}</button
    >
    {#if account.mustChangePassword}
      <span>{texts.accountState.aNewPasswordIsRequired}</span>
      <button
        type="button"
        class="border-line bg-slab rounded border px-3 py-1"
        onclick={() => set({ mustChangePassword: false })}>{texts.accountState.doNotRequireIt}</button
      >
    {:else}
      <button
        type="button"
        class="border-line bg-slab rounded border px-3 py-1"
        onclick={() => set({ mustChangePassword: true })}>{texts.accountState.requireANewPassword}</button
      >
    {/if}
  {/if}
</div>
<div class="mt-3 flex flex-wrap items-center gap-3">
  {#if erasing}
    <span>{texts.accountState.eraseThisAccountAndEverything}</span>
    <button type="button" class="border-rust text-rust rounded border px-3 py-1" onclick={erase}
      >{texts.accountState.eraseForGood}</button
    >
    <button
      type="button"
      class="border-line bg-slab rounded border px-3 py-1"
      onclick={() => (erasing = false)}>{texts.accountState.keepIt}</button
    >
  {:else}
    <button
      type="button"
      class="border-rust text-rust rounded border px-3 py-1"
      onclick={() => (erasing = true)}>{texts.accountState.erase}</button
    >
  {/if}
</div>
