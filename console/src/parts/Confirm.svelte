<script lang="ts">
  /** Asks once more, before something goes that cannot simply be put back. */
  import { Modal } from "flowbite-svelte";
  import { rememberFocus } from "../lib/focus.ts";
  import ActionButton from "./ActionButton.svelte";
  import FormProblem from "./FormProblem.svelte";

  interface Props {
    question: string;
    /** What follows from it. */
    after?: string;
    /** The verb of what is done, and of leaving it. */
    yes: string;
    no: string;
    problem?: string | null;
    act: () => void;
    leave: () => void;
  }
  const { question, after, yes, no, problem = null, act, leave }: Props = $props();
  $effect.pre(rememberFocus);
</script>

<Modal
  open
  title={question}
  size="sm"
  dismissable={false}
  transitionParams={{ duration: 0 }}
  class="bg-paper text-ink dark:bg-paper"
  classes={{ header: "text-ink text-lg font-semibold" }}
  oncancel={leave}
>
  <FormProblem {problem} />
  {#if after !== undefined}<p class="text-ink">{after}</p>{/if}
  <p class="flex flex-wrap gap-3">
    <!-- The first has the focus: whoever presses Enter without reading loses nothing. -->
    <ActionButton onclick={leave}>{no}</ActionButton>
    <ActionButton kind="danger" onclick={act}>{yes}</ActionButton>
  </p>
</Modal>
