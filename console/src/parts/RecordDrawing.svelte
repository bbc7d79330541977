<script lang="ts">
  /** A password record taken apart along its own string: each segment tied to what it means. */
  import type { PasswordExplanation } from "@lucchetto/contract";
  import { consoleTexts as texts } from "../texts/console.ts";

  const { segments }: { segments: PasswordExplanation["segments"] } = $props();

  /** Each segment with the column at which it begins; the face is fixed-width, so columns are `ch`. */
  const placed = $derived.by(() => {
    let column = 0;
    return segments.map((segment) => {
      const begins = column;
      column += [...segment.text].length;
      return { ...segment, begins };
    });
  });
  const labelled = $derived(placed.filter(({ label }) => label !== null));
</script>

<figure aria-label={texts.recordDrawing.theRecordSegmentBySegment}>
  <div class="hidden md:block">
    <div class="mono text-base whitespace-pre">
      {#each placed as segment (segment.begins)}<span
          class={segment.label === null ? "text-quiet" : "border-brass text-ink border-b-2 font-semibold"}
          >{segment.text}</span
        >{/each}
    </div>
    <ol class="mono text-base" aria-hidden="true">
      {#each labelled.toReversed() as segment, index (segment.begins)}
        <li class="relative h-9">
          {#each labelled.slice(0, labelled.length - 1 - index) as other (other.begins)}
            <span class="border-line absolute inset-y-0 border-l-2" style:left="{other.begins + 0.5}ch"
            ></span>
          {/each}
          <span
            class="border-line absolute top-0 h-5 w-[1.5ch] rounded-bl border-b-2 border-l-2"
            style:left="{segment.begins + 0.5}ch"
          ></span>
          <span class="absolute top-1.5 whitespace-nowrap" style:left="{segment.begins + 2.5}ch">
            <span class="block font-sans text-sm">
              <strong class="text-brass">{segment.label}</strong>
              <span class="text-quiet ml-1">{segment.meaning}</span>
            </span>
          </span>
        </li>
      {/each}
    </ol>
  </div>
  <dl class="space-y-3 md:sr-only">
    {#each labelled as segment (segment.begins)}
      <div>
        <dt>
          <code class="font-semibold break-all">{segment.text}</code>
          <strong class="text-brass">{segment.label}</strong>
        </dt>
        <dd class="text-quiet text-sm">{segment.meaning}</dd>
      </div>
    {/each}
  </dl>
</figure>
