<script lang="ts">
  /** The code of an authenticator app. */
  import { texts } from "../texts/texts.ts";
  import CodeForm from "./CodeForm.svelte";
  import type { ProofFormProps } from "./methods.ts";

  const { buttonText, send }: ProofFormProps = $props();
</script>

<CodeForm
  label={texts.totpForm.codeFromYourAuthenticatorApp}
  autocomplete="one-time-code"
  inputmode="numeric"
  {buttonText}
  send={(code) => send({ type: "totp", code })}
/>
