<script lang="ts">
  /** A recovery code, in the place of a second factor that is not at hand. */
  import CodeForm from "./CodeForm.svelte";
  import type { ProofFormProps } from "./methods.ts";

  const { buttonText, send }: ProofFormProps = $props();
</script>

<CodeForm
  label="Recovery code"
  autocomplete="off"
  rules="One of those that you printed or wrote down. Each works once."
  {buttonText}
  send={(code) => send({ type: "recovery-code", code })}
/>
