<script lang="ts">
  /** Links that take back a change that was not one's own: of the address, of the second factor, or the erasing of the account. */
  import type { LinkLook } from "@lucchetto/contract";
  import { Form } from "../lib/form.svelte.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import type { Redemption } from "../lib/redemption.ts";
  import { ThingShown } from "../lib/thing-shown.svelte.ts";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import ThingFields from "../parts/ThingFields.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";

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
          heading: lazy.linkUndo.takeTheAccountBack,
          next: lazy.linkUndo.itsAddressBecomesAgain(look.newEmail),
          button: lazy.linkUndo.takeItBack,
        }
      : look.purpose === "undo-factor"
        ? {
            heading: lazy.linkUndo.undoTheChange,
            next: lazy.linkUndo.theSecondFactorBecomes,
            button: lazy.linkUndo.undoIt,
          }
        : look.purpose === "verify"
          ? {
              heading: lazy.linkUndo.confirmTheAddress,
              next: lazy.linkUndo.itWasCorrected,
              button: lazy.linkUndo.confirmIt,
            }
          : {
              heading: lazy.linkUndo.keepTheAccount,
              next: lazy.linkUndo.everythingStays,
              button: lazy.linkUndo.keepIt,
            },
  );

  const judge = (): Record<string, string> => ({
    ...shown.judge(lazy.linkUndo.enterFormerPassword),
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
      <Interpolate text={lazy.linkUndo.for}
        >{#snippet name()}<strong class="break-all">{look.name}</strong>{/snippet}</Interpolate
      >
    </p>
    {#if shown.thing !== null}
      <p class="text-quiet">
        {look.purpose === "verify" ? lazy.linkUndo.oneThingBeside : lazy.linkUndo.youDidNotUse}
      </p>
      <ThingFields
        {shown}
        passwordLabel={look.purpose === "verify" ? lazy.linkUndo.yourPassword : lazy.linkUndo.formerPassword}
        instead={lazy.linkUndo.instead}
        errors={form.errors}
        chosen={() => (form.errors = {})}
      />
    {/if}
    {#if wantsNew}
      <NewPasswordFields bind:password bind:repeated errors={form.errors} names={[look.name]} />
    {/if}
    <MainButton text={words.button} busyText={lazy.linkUndo.oneMoment} busy={form.sending} />
  </form>
</PersonFrame>
