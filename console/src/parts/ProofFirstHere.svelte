<script lang="ts">
  /** The proof that a change waits for, and the way back from it. */
  import type { Account } from "@lucchetto/contract";
  import type { ProofFirst } from "../lib/proof-first.svelte.ts";
  import { texts } from "../texts/texts.ts";
  import ActionButton from "./ActionButton.svelte";
  import Reauthenticate from "./Reauthenticate.svelte";

  interface Props {
    account: Account;
    change: ProofFirst;
  }
  const { account, change }: Props = $props();
</script>

<Reauthenticate name={account.email ?? account.username} shown={change.goOn} />
<p class="mt-6">
  <ActionButton kind="text" onclick={() => (change.wanted = false)}>{texts.reauthenticate.back}</ActionButton>
</p>
