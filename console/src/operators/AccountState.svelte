<script lang="ts">
  /** Closes an account, asking once more before it does, or opens it again. */
  import type { OperatorAccount } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { Loader } from "../lib/loader.svelte.ts";
  import { operate } from "../lib/operate.svelte.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Confirm from "../parts/Confirm.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import { navigate } from "../routes.ts";
  import { consoleTexts as texts } from "../texts/console.ts";

  interface Props {
    account: OperatorAccount;
    /** Called after the state has changed. */
    changed: () => void;
  }
  const { account, changed }: Props = $props();
  /** What is asked about before it is done. */
  let asked: "suspend" | "erase" | null = $state(null);
  const loader = new Loader();

  async function erase(): Promise<void> {
    await loader.run(async () => {
      await operate(routes.eraseAccount, { params: { id: account.id } });
      navigate("/console/accounts");
    });
  }

  function leave(): void {
    asked = null;
    loader.problem = null;
  }

  async function set(
    body: { state: "active" | "suspended" } | { mustChangePassword: boolean },
  ): Promise<void> {
    await loader.run(async () => {
      await operate(routes.changeAccount, { params: { id: account.id }, body });
      asked = null;
      changed();
    });
  }
</script>

<FormProblem problem={asked === null ? loader.problem : null} />
<div class="mt-3 flex flex-wrap items-center gap-3">
  {#if account.state === "suspended" || account.state === "closed"}
    <ActionButton onclick={() => set({ state: "active" })}>{texts.accountState.restore}</ActionButton>
    <span class="text-quiet text-sm">{texts.accountState.sessionsThatHaveEndedStay}</span>
  {:else}
    <ActionButton kind="danger" onclick={() => (asked = "suspend")}>{texts.accountState.suspend}</ActionButton
    >
    {#if account.mustChangePassword}
      <span>{texts.accountState.aNewPasswordIsRequired}</span>
      <ActionButton onclick={() => set({ mustChangePassword: false })}
        >{texts.accountState.doNotRequireIt}</ActionButton
      >
    {:else}
      <ActionButton onclick={() => set({ mustChangePassword: true })}
        >{texts.accountState.requireANewPassword}</ActionButton
      >
    {/if}
  {/if}
</div>
<div class="mt-3 flex flex-wrap items-center gap-3">
  <ActionButton kind="danger" onclick={() => (asked = "erase")}>{texts.accountState.erase}</ActionButton>
</div>
{#if asked === "suspend"}
  <Confirm
    question={texts.accountState.suspendThisAccountAndEnd}
    yes={texts.accountState.suspendIt}
    no={texts.accountState.cancel}
    problem={loader.problem}
    act={() => set({ state: "suspended" })}
    {leave}
  />
{:else if asked === "erase"}
  <Confirm
    question={texts.accountState.eraseThisAccountAndEverything}
    yes={texts.accountState.eraseForGood}
    no={texts.accountState.keepIt}
    problem={loader.problem}
    act={erase}
    {leave}
  />
{/if}
