<script lang="ts">
  /** An authenticator app taken over: its QR code or the key itself, and the first code. */
  import { Form } from "../lib/form.svelte.ts";
  import { texts } from "../texts/texts.ts";
  import Disclosure from "./Disclosure.svelte";
  import Field from "./Field.svelte";
  import FormProblem from "./FormProblem.svelte";
  import MainButton from "./MainButton.svelte";

  interface Props {
    begun: { readonly secret: string; readonly uri: string; readonly qrSvg: string };
    /** Confirms it by its first code. */
    send: (code: string) => Promise<void>;
  }
  const { begun, send }: Props = $props();
  const form = new Form();
  let code = $state("");
  const judge = (): Record<string, string> =>
    code.trim() === "" ? { code: texts.secondFactor.enterTheCode } : {};
</script>

<ol class="mb-6 list-decimal space-y-6 pl-6">
  <li>
    {texts.secondFactor.scanTheQrCodeWith}
    <img
      class="mt-3 w-56 rounded-lg bg-white"
      src="data:image/svg+xml;utf8,{encodeURIComponent(begun.qrSvg)}"
      alt={texts.secondFactor.qrCodeOfTheSecret}
    />
    <div class="mt-3">
      <Disclosure class="text-link dark:text-link">
        {#snippet head()}{texts.secondFactor.enterTheKeyInstead}{/snippet}
        <p class="mt-2">{texts.secondFactor.ifTheAppAsksTime}</p>
        <code class="mt-1 block break-all">{begun.secret.replace(/.{4}(?=.)/g, "$& ")}</code>
        <p class="mt-2"><a href={begun.uri}>{texts.secondFactor.openAnAppOnThis}</a></p>
      </Disclosure>
    </div>
  </li>
  <li>{texts.secondFactor.enterTheSixDigitsIt}</li>
</ol>
<form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, () => send(code))}>
  <FormProblem problem={form.problem} />
  <Field
    name="code"
    label={texts.secondFactor.code}
    autocomplete="one-time-code"
    inputmode="numeric"
    bind:value={code}
    error={form.errors["code"]}
  />
  <MainButton text={texts.secondFactor.turnOn} busyText={texts.secondFactor.checking} busy={form.sending} />
</form>
