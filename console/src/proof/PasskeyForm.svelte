<script lang="ts">
  /** A passkey: the browser asks the person for it. */
  import { Form } from "../lib/form.svelte.ts";
  import { askForPasskey } from "../lib/passkeys.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import { texts } from "../texts/texts.ts";
  import type { ProofFormProps } from "./methods.ts";

  const { purpose, send }: ProofFormProps = $props();
  const form = new Form();

  async function show(): Promise<void> {
    await send(await askForPasskey(purpose));
  }
</script>

<form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, () => ({}), show)}>
  <FormProblem problem={form.problem} />
  <p>{texts.passkeys.yourDeviceAsks}</p>
  <MainButton text={texts.passkeys.useYourPasskey} busyText={texts.passkeys.waiting} busy={form.sending} />
</form>
