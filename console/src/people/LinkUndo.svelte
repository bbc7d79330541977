<script lang="ts">
  /** Links that take back a change that was not one's own: of the address, of the second factor, or the erasing of the account. */
  import type { LinkLook } from "@lucchetto/contract";
  import { Form } from "../lib/form.svelte.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import { askForPasskey } from "../lib/passkeys.ts";
  import type { Redemption } from "../lib/redemption.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import Field from "../parts/Field.svelte";
  import Fill from "../parts/Fill.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";
  import { rareTexts as rare } from "../texts/rare.ts";
  import { texts } from "../texts/texts.ts";

  interface Props {
    look: LinkLook;
    redeem: (shown: Redemption) => Promise<void>;
  }
  const { look, redeem }: Props = $props();
  const form = new Form();
  type Thing = LinkLook["shows"][number];
  let chosen: Thing | null = $state(null);
  let present = $state("");
  let code = $state("");
  let password = $state("");
  let repeated = $state("");

  const thing = $derived(look.wants !== "thing-from-before" ? null : (chosen ?? look.shows[0] ?? null));
  const others = $derived(look.shows.filter((one) => one !== thing));
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
    ...(thing === "password" && present === "" ? { present: rare.linkUndo.enterFormerPassword } : {}),
    ...((thing === "totp" || thing === "recovery-code") && code.trim() === ""
      ? { code: rare.linkUndo.enterTheCode }
      : {}),
    ...(wantsNew ? judgeNewPassword(password, repeated) : {}),
  });
  const shownOf = async (one: Thing): Promise<NonNullable<Redemption["present"]>> => {
    if (one === "password") return present;
    return one === "passkey" ? askForPasskey("sign-in") : { type: one, code: code.trim() };
  };
  const send = async (): Promise<void> =>
    redeem({
      ...(thing === null ? {} : { present: await shownOf(thing) }),
      ...(wantsNew ? { password } : {}),
    });

  function choose(other: Thing): void {
    chosen = other;
    form.errors = {};
  }
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
    {#if thing !== null}
      <p class="text-quiet">
        {look.purpose === "verify" ? rare.linkUndo.oneThingBeside : rare.linkUndo.youDidNotUse}
      </p>
      {#if thing === "password"}
        <PasswordField
          name="present"
          label={look.purpose === "verify" ? rare.linkUndo.yourPassword : rare.linkUndo.formerPassword}
          bind:value={present}
          autocomplete="current-password"
          error={form.errors["present"]}
        />
      {:else if thing === "passkey"}
        <p>{texts.passkeys.yourDeviceAsks}</p>
      {:else}
        <Field
          name="code"
          label={thing === "totp" ? rare.linkUndo.codeOfApp : rare.linkUndo.recoveryCode}
          autocomplete="one-time-code"
          bind:value={code}
          error={form.errors["code"] ?? form.errors["present"]}
        />
      {/if}
      {#each others as other (other)}
        <p>
          <ActionButton kind="text" onclick={() => choose(other)}>{rare.linkUndo.instead[other]}</ActionButton
          >
        </p>
      {/each}
    {/if}
    {#if wantsNew}
      <NewPasswordFields bind:password bind:repeated errors={form.errors} names={[look.name]} />
    {/if}
    <MainButton text={words.button} busyText={rare.linkUndo.oneMoment} busy={form.sending} />
  </form>
</PersonFrame>
