<script lang="ts">
  /** Something that shows more when it is pressed. */
  import { Accordion, AccordionItem } from "flowbite-svelte";
  import type { Snippet } from "svelte";

  interface Props {
    /** What is always there. */
    head: Snippet;
    open?: boolean;
    /** Of what is pressed. */
    class?: string;
    children: Snippet;
  }
  let { head, open = $bindable(false), class: more = "", children }: Props = $props();
</script>

{#snippet up()}<span aria-hidden="true" class="text-quiet shrink-0">▾</span>{/snippet}
{#snippet down()}<span aria-hidden="true" class="text-quiet shrink-0">▸</span>{/snippet}

<Accordion flush>
  <AccordionItem
    bind:open
    headingTag="div"
    transitionType="none"
    arrowup={up}
    arrowdown={down}
    classes={{
      button:
        "text-ink dark:text-ink min-h-6 flex-row-reverse justify-end gap-2 border-0 py-0 text-start text-base font-normal " +
        more,
      content: "border-0 py-0",
    }}
  >
    {#snippet header()}<span class="min-w-0 grow">{@render head()}</span>{/snippet}
    {@render children()}
  </AccordionItem>
</Accordion>
