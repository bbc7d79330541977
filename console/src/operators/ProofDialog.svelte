<script lang="ts">
  /** A proof asked for in place, over whatever an operator was doing; then it goes on. */
  import { Modal } from "flowbite-svelte";
  import { rememberFocus } from "../lib/focus.ts";
  import { proofQuestion } from "../lib/operate.svelte.ts";
  import { session } from "../lib/session.svelte.ts";
  import Reauthenticate from "../parts/Reauthenticate.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  const question = $derived(proofQuestion.open);
  const name = $derived(
    session.who.state === "signed-in" ? (session.who.account.email ?? session.who.account.username) : null,
  );
  $effect.pre(() => (question === null ? undefined : rememberFocus()));
</script>

{#if question !== null}
  <Modal
    open
    title={texts.proofDialog.isItStillYou}
    size="sm"
    transitionParams={{ duration: 0 }}
    class="bg-paper text-ink"
    onclose={() => proofQuestion.open?.answer(false)}
  >
    <Reauthenticate {name} shown={async () => question.answer(true)} />
  </Modal>
{/if}
