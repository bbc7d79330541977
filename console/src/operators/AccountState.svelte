<script lang="ts">
  /** Closes an account, asking once more before it does, or opens it again. */
  import type { Account } from "@lucchetto/contract";
  import { routes } from "@lucchetto/contract";
  import { call } from "../lib/page.ts";
  import FormProblem from "../parts/FormProblem.svelte";

  interface Props {
    account: Account;
    /** Called after the state has changed. */
    changed: () => void;
  }
  const { account, changed }: Props = $props();
  let asking = $state(false);
  let problem: string | null = $state(null);

  async function set(state: "active" | "suspended"): Promise<void> {
    try {
      await call(routes.changeAccount, { params: { id: account.id }, body: { state } });
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
    <button type="button" class="border-line bg-slab rounded border px-3 py-1" onclick={() => set("active")}
      >Restore</button
    >
    <span class="text-quiet text-sm">Sessions that ended stay ended.</span>
  {:else if asking}
    <span>Close this account and end its sessions at once?</span>
    <button
      type="button"
      class="border-rust text-rust rounded border px-3 py-1"
      onclick={() => set("suspended")}>Suspend it</button
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
  {/if}
</div>
