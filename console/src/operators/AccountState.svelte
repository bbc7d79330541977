<script lang="ts">
  /** Closes an account, asking once more before it does, or opens it again. */
  import type { OperatorAccount } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { call } from "../lib/page.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import { navigate } from "../routes.ts";

  interface Props {
    account: OperatorAccount;
    /** Called after the state has changed. */
    changed: () => void;
  }
  const { account, changed }: Props = $props();
  let asking = $state(false);
  let erasing = $state(false);
  let problem: string | null = $state(null);

  async function erase(): Promise<void> {
    try {
      await call(routes.eraseAccount, { params: { id: account.id } });
      navigate("/console/accounts");
    } catch (error) {
      erasing = false;
      problem = (error as Error).message;
    }
  }

  async function set(
    body: { state: "active" | "suspended" } | { mustChangePassword: boolean },
  ): Promise<void> {
    try {
      await call(routes.changeAccount, { params: { id: account.id }, body });
      asking = false;
      problem = null;
      changed();
    } catch (error) {
      problem = (error as Error).message;
    }
  }
</script>

<FormProblem {problem} />
<div class="mt-3 flex flex-wrap items-center gap-3">
  {#if account.state === "suspended"}
    <button
      type="button"
      class="border-line bg-slab rounded border px-3 py-1"
      onclick={() => set({ state: "active" })}>Restore</button
    >
    <span class="text-quiet text-sm">Sessions that ended stay ended.</span>
  {:else if asking}
    <span>Close this account and end its sessions at once?</span>
    <button
      type="button"
      class="border-rust text-rust rounded border px-3 py-1"
      onclick={() => set({ state: "suspended" })}>Suspend it</button
    >
    <button
      type="button"
      class="border-line bg-slab rounded border px-3 py-1"
      onclick={() => (asking = false)}>Leave it open</button
    >
  {:else}
    <button
      type="button"
      class="border-rust text-rust rounded border px-3 py-1"
      onclick={() => (asking = true)}>Suspend …</button
    >
    {#if account.mustChangePassword}
      <span>A new password is wanted at the next sign-in.</span>
      <button
        type="button"
        class="border-line bg-slab rounded border px-3 py-1"
        onclick={() => set({ mustChangePassword: false })}>Let it stay</button
      >
    {:else}
      <button
        type="button"
        class="border-line bg-slab rounded border px-3 py-1"
        onclick={() => set({ mustChangePassword: true })}>Want a new password</button
      >
    {/if}
  {/if}
</div>
<div class="mt-3 flex flex-wrap items-center gap-3">
  {#if erasing}
    <span>Erase the account with everything of it? This cannot be taken back.</span>
    <button type="button" class="border-rust text-rust rounded border px-3 py-1" onclick={erase}
      >Erase it for good</button
    >
    <button
      type="button"
      class="border-line bg-slab rounded border px-3 py-1"
      onclick={() => (erasing = false)}>Keep it</button
    >
  {:else}
    <button
      type="button"
      class="border-rust text-rust rounded border px-3 py-1"
      onclick={() => (erasing = true)}>Erase …</button
    >
  {/if}
</div>
