<script lang="ts">
  /** Sessions with their lives as bars, and a way to end each. */
  import type { OperatorSession } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { device, methods } from "../lib/device.ts";
  import type { List } from "../lib/list.svelte.ts";
  import { at, call } from "../lib/page.ts";
  import Ago from "../parts/Ago.svelte";
  import CopyableId from "../parts/CopyableId.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import ListTable from "../parts/ListTable.svelte";
  import SessionBar from "../parts/SessionBar.svelte";
  import StateWord from "../parts/StateWord.svelte";

  interface Props {
    list: List<OperatorSession>;
    /** Called after one was ended. */
    ended: () => void;
    withAccount?: boolean;
  }
  const { list, ended, withAccount = false }: Props = $props();
  let problem: string | null = $state(null);

  async function end(id: string): Promise<void> {
    try {
      await call(routes.endSession, { params: { id } });
      problem = null;
      ended();
    } catch (error) {
      problem = (error as Error).message;
    }
  }
</script>

<FormProblem {problem} />
<ListTable
  {list}
  caption="Sessions"
  head={["Device", "State", "Life", "Last seen", withAccount ? "Whose" : "Session", "Action"]}
>
  {#snippet row(one: OperatorSession)}
    <td class="px-4 py-2.5">
      {device(one.userAgent)}
      <span class="text-quiet block text-sm"
        >{one.network ?? "unknown network"} · {one.kind}, {methods(one.amr)}{#if one.appName !== null}, at {one.appName}{/if}</span
      >
    </td>
    <td class="px-4 py-2.5">
      {#if one.endedAt === null}<StateWord kind="well" text={one.current ? "alive, this one" : "alive"} />
      {:else}<StateWord kind="open" text={(one.endReason ?? "ended").replaceAll("-", " ")} />{/if}
    </td>
    <td class="px-4 py-2.5"><SessionBar session={one} endedAt={one.endedAt} /></td>
    <td class="px-4 py-2.5"><Ago at={one.lastSeenAt} /></td>
    <td class="px-4 py-2.5">
      {#if withAccount}<a class="block" href={at(`/console/accounts/${one.accountId}`)}
          >{one.accountName ?? "its account"}</a
        >{/if}
      <CopyableId id={one.id} short />
    </td>
    <td class="px-4 py-2.5">
      {#if one.endedAt === null}
        <button
          type="button"
          class="border-rust text-rust rounded border px-3 py-1 text-sm"
          onclick={() => end(one.id)}>End<span class="sr-only"> session {one.id}</span></button
        >
      {/if}
    </td>
  {/snippet}
  {#snippet empty()}Sessions stand here once somebody has signed in.{/snippet}
</ListTable>
