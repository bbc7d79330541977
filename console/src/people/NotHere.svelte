<script lang="ts">
  import ProblemPage from "./ProblemPage.svelte";

  const problem = {
    code: "not-found",
    title: "There is no such page",
    meaning: "Nothing is kept at this address.",
    mend: "Check the address, or go back.",
  };
</script>

<ProblemPage {problem} />
