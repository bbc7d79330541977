<script lang="ts">
  /** Asks for a second factor: the code of an authenticator app, or a recovery code in its place. */
  import { ProblemError } from "@lucchetto/contract/pages";
  import { onMount } from "svelte";
  import { Form } from "../lib/form.svelte.ts";
  import type { SecondProof } from "../lib/second-proof.ts";
  import Field from "./Field.svelte";
  import FormProblem from "./FormProblem.svelte";
  import MainButton from "./MainButton.svelte";

  interface Props {
    /** What is wanted, as the service says. */
    wanted: readonly string[];
    buttonText: string;
    send: (proof: SecondProof) => Promise<void>;
  }
  const { wanted, buttonText, send }: Props = $props();
  const form = new Form();
  let code = $state("");
  let byRecoveryCode = $state(false);

  // The form comes in the place of another one, whose field had the focus.
  onMount(() => document.querySelector<HTMLInputElement>("#code")?.focus());

  async function show(): Promise<void> {
    try {
      await send({ type: byRecoveryCode ? "recovery-code" : "totp", code });
    } catch (error) {
      if (!(error instanceof ProblemError) || error.problem.code !== "proof-refused") throw error;
      form.errors["code"] = error.problem.detail;
      code = "";
    }
  }
  const judge = (): Record<string, string> => (code.trim() === "" ? { code: "Type the code." } : {});

  function change(): void {
    byRecoveryCode = !byRecoveryCode;
    code = "";
    form.errors = {};
    form.problem = null;
  }
</script>

<form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, show)}>
  <FormProblem problem={form.problem} />
  {#if byRecoveryCode}
    <Field
      name="code"
      label="Recovery code"
      autocomplete="off"
      rules="One of those that you printed or wrote down. Each works once."
      bind:value={code}
      error={form.errors["code"]}
    />
  {:else}
    <Field
      name="code"
      label="Code of your authenticator app"
      autocomplete="one-time-code"
      inputmode="numeric"
      bind:value={code}
      error={form.errors["code"]}
    />
  {/if}
  <MainButton text={buttonText} busyText="Checking …" busy={form.sending} />
  {#if wanted.includes("recovery-code")}
    <p>
      <button type="button" class="text-link min-h-6 underline" onclick={change}
        >{byRecoveryCode ? "Use the authenticator app" : "Use a recovery code instead"}</button
      >
    </p>
  {:else}
    <p class="text-quiet text-sm">No recovery code is left.</p>
  {/if}
</form>
