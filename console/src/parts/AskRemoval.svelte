<script lang="ts">
  /** Asks once more, before one of somebody's own ways in goes. */
  import { rareTexts as rare } from "../texts/rare.ts";
  import { texts } from "../texts/texts.ts";

  interface Props {
    question: string;
    /** What follows from it. */
    after: string;
    remove: () => void;
    keep: () => void;
  }
  const { question, after, remove, keep }: Props = $props();
</script>

<h2 class="text-lg font-semibold">{question}</h2>
<p class="mt-2">{after}</p>
<p class="mt-5 flex flex-wrap gap-3">
  <button
    type="button"
    class="border-rust text-rust bg-slab rounded-lg border px-6 py-3 font-medium"
    onclick={remove}>{texts.secondFactor.remove}</button
  >
  <button type="button" class="border-line bg-slab rounded-lg border px-6 py-3 font-medium" onclick={keep}
    >{rare.passkeys.keepIt}</button
  >
</p>
