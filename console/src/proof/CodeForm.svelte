<script lang="ts">
  /** One field for a code; one that does not count is cleared, and its refusal stands at the field. */
  import { ProblemError } from "@lucchetto/contract/pages";
  import { onMount, type Snippet } from "svelte";
  import { Form } from "../lib/form.svelte.ts";
  import { problemSentence } from "../lib/sentence.ts";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import { texts } from "../texts/texts.ts";

  interface Props {
    label: string;
    autocomplete: "one-time-code" | "off";
    inputmode?: "numeric";
    rules?: string;
    buttonText: string;
    /** What is said of a refused code, in place of the service's own sentence. */
    refused?: string;
    /** What is wrong with a code that cannot be one. */
    faultOf?: (code: string) => string | null;
    send: (code: string) => Promise<void>;
    /** Called as soon as something is typed. */
    typing?: () => void;
    /** What may be shown beside the code. */
    beside?: Snippet<[errors: Readonly<Record<string, string>>]>;
  }
  const { label, autocomplete, inputmode, rules, buttonText, refused, faultOf, send, typing, beside }: Props =
    $props();
  const form = new Form();
  let code = $state("");

  // The form comes in the place of another one, whose field had the focus.
  onMount(() => document.querySelector<HTMLInputElement>("#code")?.focus());

  async function show(): Promise<void> {
    try {
      await send(code);
    } catch (error) {
      if (!(error instanceof ProblemError) || error.problem.code !== "proof-refused") throw error;
      form.errors["code"] = refused ?? problemSentence(error.problem);
      code = "";
    }
  }
  const judge = (): Record<string, string> => {
    const fault = code.trim() === "" ? texts.codeForm.enterTheCode : (faultOf?.(code) ?? null);
    return fault === null ? {} : { code: fault };
  };
</script>

<form class="space-y-5" novalidate oninput={typing} onsubmit={(event) => form.submit(event, judge, show)}>
  <FormProblem problem={form.problem} />
  <Field
    name="code"
    {label}
    {autocomplete}
    {inputmode}
    {rules}
    bind:value={code}
    error={form.errors["code"]}
  />
  {@render beside?.(form.errors)}
  <MainButton text={buttonText} busyText={texts.codeForm.checking} busy={form.sending} />
</form>
