<script lang="ts">
  /** Sessions with their lives as bars, and a way to end each. */
  import type { OperatorSession } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { device, methods } from "../lib/device.ts";
  import type { List } from "../lib/list.svelte.ts";
  import { Loader } from "../lib/loader.svelte.ts";
  import { operate } from "../lib/operate.svelte.ts";
  import { at } from "../lib/page.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Ago from "../parts/Ago.svelte";
  import CopyableId from "../parts/CopyableId.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import ListTable from "../parts/ListTable.svelte";
  import SessionBar from "../parts/SessionBar.svelte";
  import StatusBadge from "../parts/StatusBadge.svelte";
  import { consoleTexts as texts } from "../texts/console.ts";

  interface Props {
    list: List<OperatorSession>;
    /** Called after one was ended. */
    ended: () => void;
    withAccount?: boolean;
  }
  const { list, ended, withAccount = false }: Props = $props();
  const loader = new Loader();

  async function end(id: string): Promise<void> {
    await loader.run(async () => {
      await operate(routes.endSession, { params: { id } });
      ended();
    });
  }
</script>

<FormProblem problem={loader.problem} />
<ListTable
  {list}
  caption={texts.sessionRows.sessions}
  head={[
    texts.sessionRows.device,
    texts.sessionRows.state,
    texts.sessionRows.lifetime,
    texts.sessionRows.lastSeen,
    withAccount ? texts.sessionRows.whose : texts.sessionRows.session,
    texts.sessionRows.action,
  ]}
>
  {#snippet row(one: OperatorSession)}
    <td class="px-4 py-2.5">
      {device(one.userAgent)}
      <span class="text-quiet block text-sm"
        >{one.network ?? texts.sessionRows.unknownNetwork} · {one.kind}, {methods(
          one.amr,
        )}{#if one.appName !== null}{texts.sessionRows.at(one.appName)}{/if}</span
      >
    </td>
    <td class="px-4 py-2.5">
      {#if one.endedAt === null}<StatusBadge
          kind="well"
          text={one.current ? texts.sessionRows.aliveThisOne : texts.sessionRows.alive}
        />
      {:else}<StatusBadge
          kind="open"
          text={(one.endReason ?? texts.sessionRows.ended).replaceAll("-", " ")}
        />{/if}
    </td>
    <td class="px-4 py-2.5"><SessionBar session={one} endedAt={one.endedAt} /></td>
    <td class="px-4 py-2.5"><Ago at={one.lastSeenAt} /></td>
    <td class="px-4 py-2.5">
      {#if withAccount}<a class="block" href={at(`/console/accounts/${one.accountId}`)}
          >{one.accountName ?? texts.sessionRows.itsAccount}</a
        >{/if}
      <CopyableId id={one.id} short />
    </td>
    <td class="px-4 py-2.5">
      {#if one.endedAt === null}
        <ActionButton kind="danger" size="sm" onclick={() => end(one.id)}
          >{texts.sessionRows.end}<span class="sr-only">
            {texts.sessionRows.ofSession} {one.id}</span
          ></ActionButton
        >
      {/if}
    </td>
  {/snippet}
  {#snippet empty()}{texts.sessionRows.sessionsAppearHereOnceSomebody}{/snippet}
</ListTable>
