<script lang="ts">
  /** Links that take back a change that was not one's own: of the address, of the second factor, or the erasing of the account. */
  import type { LinkLook } from "@lucchetto/contract";
  import { Form } from "../lib/form.svelte.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import type { Redemption } from "../lib/redemption.ts";
  import { ThingShown } from "../lib/thing-shown.svelte.ts";
  import Fill from "../parts/Fill.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import ThingFields from "../parts/ThingFields.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";
  import { rareTexts as rare } from "../texts/rare.ts";

  interface Props {
    look: LinkLook;
    redeem: (shown: Redemption) => Promise<void>;
  }
  const { look, redeem }: Props = $props();
  const form = new Form();
  const shown = new ThingShown(() => (look.wants === "thing-from-before" ? look.shows : []));
  let password = $state("");
  let repeated = $state("");

  /** Whoever stops the erasing, or proves a corrected address, keeps the password. */
  const wantsNew = $derived(look.purpose === "undo-change" || look.purpose === "undo-factor");
  const words = $derived(
    look.purpose === "undo-change"
      ? {
          heading: rare.linkUndo.takeTheAccountBack,
          next: rare.linkUndo.itsAddressBecomesAgain(look.newEmail),
          button: rare.linkUndo.takeItBack,
        }
      : look.purpose === "undo-factor"
        ? {
            heading: rare.linkUndo.undoTheChange,
            next: rare.linkUndo.theSecondFactorBecomes,
            button: rare.linkUndo.undoIt,
          }
        : look.purpose === "verify"
          ? {
              heading: rare.linkUndo.confirmTheAddress,
              next: rare.linkUndo.itWasCorrected,
              button: rare.linkUndo.confirmIt,
            }
          : {
              heading: rare.linkUndo.keepTheAccount,
              next: rare.linkUndo.everythingStays,
              button: rare.linkUndo.keepIt,
            },
  );

  const judge = (): Record<string, string> => ({
    ...shown.judge(rare.linkUndo.enterFormerPassword),
    ...(wantsNew ? judgeNewPassword(password, repeated) : {}),
  });
  const send = async (): Promise<void> =>
    redeem({ ...(await shown.show()), ...(wantsNew ? { password } : {}) });
</script>

<PersonFrame heading={words.heading} next={words.next}>
  <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
    <FormProblem problem={form.problem} />
    <WhosePassword name={look.name} />
    <p>
      <Fill text={rare.linkUndo.for}
        >{#snippet name()}<strong class="break-all">{look.name}</strong>{/snippet}</Fill
      >
    </p>
    {#if shown.thing !== null}
      <p class="text-quiet">
        {look.purpose === "verify" ? rare.linkUndo.oneThingBeside : rare.linkUndo.youDidNotUse}
      </p>
      <ThingFields
        {shown}
        passwordLabel={look.purpose === "verify" ? rare.linkUndo.yourPassword : rare.linkUndo.formerPassword}
        instead={rare.linkUndo.instead}
        errors={form.errors}
        chosen={() => (form.errors = {})}
      />
    {/if}
    {#if wantsNew}
      <NewPasswordFields bind:password bind:repeated errors={form.errors} names={[look.name]} />
    {/if}
    <MainButton text={words.button} busyText={rare.linkUndo.oneMoment} busy={form.sending} />
  </form>
</PersonFrame>
