<script lang="ts">
  /** A recovery code, in the place of a second factor that is not at hand. */
  import { texts } from "../texts/texts.ts";
  import CodeForm from "./CodeForm.svelte";
  import type { ProofFormProps } from "./methods.ts";

  const { buttonText, send }: ProofFormProps = $props();
</script>

<CodeForm
  label={texts.recoveryCodeForm.recoveryCode}
  autocomplete="off"
  rules={texts.recoveryCodeForm.oneOfTheCodesYou}
  {buttonText}
  send={(code) => send({ type: "recovery-code", code })}
/>
