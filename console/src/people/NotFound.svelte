<script lang="ts">
  import { texts } from "../texts/texts.ts";
  import ProblemPage from "./ProblemPage.svelte";

  const problem = {
    code: "not-found",
    title: texts.notHere.pageNotFound,
    meaning: texts.notHere.thereIsNothingAtThis,
    remedy: texts.notHere.checkTheAddressOrGo,
  };
</script>

<ProblemPage {problem} />
