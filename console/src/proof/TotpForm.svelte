<script lang="ts">
  /** The code of an authenticator app. */
  import CodeForm from "./CodeForm.svelte";
  import type { ProofFormProps } from "./methods.ts";

  const { buttonText, send }: ProofFormProps = $props();
</script>

<CodeForm
  label="Code of your authenticator app"
  autocomplete="one-time-code"
  inputmode="numeric"
  {buttonText}
  send={(code) => send({ type: "totp", code })}
/>
