<script lang="ts">
  /** The code that the link of a mail shows where it is opened elsewhere. */
  import type { ComponentProps } from "svelte";
  import { texts } from "../texts/texts.ts";
  import CodeForm from "./CodeForm.svelte";

  type Props = Pick<ComponentProps<typeof CodeForm>, "send" | "typing" | "beside">;
  const { send, typing, beside }: Props = $props();
  const faultOf = (code: string): string | null =>
    /^\d{6}$/.test(code.replace(/[\s-]/g, "")) ? null : texts.mailStep.theCodeHasSixDigits;
</script>

<CodeForm
  label={texts.mailStep.code}
  autocomplete="one-time-code"
  inputmode="numeric"
  buttonText={texts.mailStep.continue}
  refused={texts.mailStep.thatIsNotTheCode}
  {faultOf}
  {send}
  {typing}
  {beside}
/>
