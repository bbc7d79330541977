<script lang="ts">
  /** In place of a part of a page that could not be loaded. */
  import { texts } from "../texts/texts.ts";
  import FormProblem from "./FormProblem.svelte";
  import PersonFrame from "./PersonFrame.svelte";

  interface Props {
    heading: string;
  }
  const { heading }: Props = $props();
</script>

<PersonFrame {heading}>
  <FormProblem problem={texts.faults.unreachable} />
</PersonFrame>
