<script lang="ts">
  import { PROBLEMS } from "@lucchetto/contract";
  import ProblemPage from "./ProblemPage.svelte";
</script>

<ProblemPage problem={{ code: "not-found", ...PROBLEMS["not-found"] }} />
