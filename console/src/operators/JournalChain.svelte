<script lang="ts">
  /** Whether the journal is as it was written: verified on demand, from one end of its chain to the other. */
  import type { JournalHead, JournalVerification } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { Loader } from "../lib/loader.svelte.ts";
  import { call } from "../lib/page.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import CopyableId from "../parts/CopyableId.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Progress from "../parts/Progress.svelte";
  import StatusBadge from "../parts/StatusBadge.svelte";
  import { consoleTexts } from "../texts/console.ts";

  const texts = consoleTexts.journalChain;

  let head = $state.raw<JournalHead | null>(null);
  let verified = $state(0);
  let isUnderWay = $state(false);
  let found = $state.raw<JournalVerification | null>(null);
  const loader = new Loader();

  async function verify(): Promise<void> {
    isUnderWay = true;
    await loader.run(async () => {
      found = null;
      verified = 0;
      head = (await call(routes.showJournalHead)).body;
      for (let after: number | null = 0; after !== null;) {
        const { body }: { body: JournalVerification } = await call(routes.verifyJournal, {
          query: { after },
        });
        verified += body.last - body.after;
        after = body.flaw === null ? body.next : null;
        if (after === null) found = body;
      }
    });
    isUnderWay = false;
  }
</script>

<section class="mb-4" aria-labelledby="journal-chain">
  <h2 id="journal-chain" class="sr-only">{texts.chain}</h2>
  <div class="flex flex-wrap items-center gap-3">
    <ActionButton size="sm" onclick={verify} disabled={isUnderWay}>{texts.verify}</ActionButton>
    <span class="text-quiet text-sm">{texts.hint}</span>
  </div>
  <FormProblem problem={loader.problem} />
  <div role="status">
    {#if isUnderWay && head !== null}
      <Progress label={texts.verifying} done={Math.min(verified, head.chained)} total={head.chained} />
    {:else if found !== null && found.flaw !== null}
      <p class="mt-2">
        <StatusBadge kind="wrong" text={texts.broken} />
        {texts.flaws[found.flaw.what](found.flaw.position, found.flaw.entryId)}
        {texts.whatNow} <code>lucchetto journal verify</code>
      </p>
    {:else if found !== null && head !== null && head.head === null}
      <p class="mt-2">
        <StatusBadge kind="open" text={texts.notYet} />
        {texts.nothingYet(found.waiting ?? 0)} <code>lucchetto keys list</code>
      </p>
    {:else if found !== null && head !== null && head.head !== null}
      <p class="mt-2">
        <StatusBadge kind="well" text={texts.whole} />
        {texts.verified(verified, found.waiting ?? 0)}
      </p>
      <p class="mt-1 text-sm">{texts.keepHead} <CopyableId id={head.head} /></p>
    {/if}
  </div>
</section>
