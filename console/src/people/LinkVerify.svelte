<script lang="ts">
  /**
   * Links that want one click: an address to be confirmed. In another browser than the one that registered something set up there is shown,
   * or a new password chosen; what that takes away is named before.
   */
  import type { LinkLook } from "@lucchetto/contract";
  import { Form } from "../lib/form.svelte.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import { page } from "../lib/page.ts";
  import type { Redemption } from "../lib/redemption.ts";
  import { ThingShown } from "../lib/thing-shown.svelte.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import SetUpLists from "../parts/SetUpLists.svelte";
  import ThingFields from "../parts/ThingFields.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";
  import { rareTexts as rare } from "../texts/rare.ts";

  interface Props {
    look: LinkLook;
    redeem: (shown: Redemption) => Promise<void>;
  }
  const { look, redeem }: Props = $props();
  const form = new Form();
  /** Of a registration that waits there is a password to be shown, and nothing else. */
  const shows = $derived(
    look.shows.length === 0 && look.setUp === null ? (["password"] as const) : look.shows,
  );
  const shown = new ThingShown(() => shows);
  let prefersNew = $state(false);
  let notMine: string[] = $state([]);
  let password = $state("");
  let repeated = $state("");
  const wantsPassword = $derived(look.wants === "any-password");
  const choosesNew = $derived(prefersNew || shows.length === 0);
  const words = $derived(
    look.purpose === "change-email"
      ? {
          heading: rare.linkVerify.useThisAddress,
          next: rare.linkVerify.itBecomesTheAddressOf,
          button: rare.linkVerify.useIt,
        }
      : look.purpose === "invite"
        ? {
            heading: rare.linkVerify.welcomeTo(page.site.name),
            next: rare.linkVerify.confirmToStartUsingYour,
            button: rare.linkVerify.getStarted,
          }
        : {
            heading: rare.linkVerify.confirmYourAddress,
            next: wantsPassword
              ? rare.linkVerify.youRegisteredInADifferent
              : rare.linkVerify.confirmThatThisAddressIs,
            button: rare.linkVerify.confirmAddress,
          },
  );

  function judge(): Record<string, string> {
    if (!wantsPassword) return {};
    if (choosesNew) return judgeNewPassword(password, repeated);
    return shown.judge(rare.linkVerify.enterThePasswordYouChose);
  }
  async function send(): Promise<void> {
    const proof = !wantsPassword ? {} : choosesNew ? { password } : await shown.show();
    await redeem({ ...proof, ...(notMine.length === 0 ? {} : { notMine }) });
  }

  function turn(): void {
    prefersNew = !prefersNew;
    form.errors = {};
  }
</script>

<PersonFrame heading={words.heading} next={words.next}>
  <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
    <FormProblem problem={form.problem} />
    <p><strong class="break-all">{look.newEmail ?? look.name}</strong></p>
    {#if look.setUp !== null}
      <SetUpLists setUp={look.setUp} isShown={wantsPassword && !choosesNew} bind:notMine />
    {/if}
    {#if wantsPassword}
      <WhosePassword name={look.name} />
      {#if choosesNew}
        {#if look.setUp === null}<p class="text-quiet">
            {rare.linkVerify.everythingSetUpDuringRegistration}
          </p>{/if}
        <NewPasswordFields bind:password bind:repeated errors={form.errors} names={[look.name]} />
      {:else}
        <ThingFields
          {shown}
          passwordLabel={rare.linkVerify.passwordYouRegisteredWith}
          instead={rare.setUp.instead}
          errors={form.errors}
          chosen={() => (form.errors = {})}
        />
      {/if}
    {/if}
    <MainButton text={words.button} busyText={rare.linkVerify.oneMoment} busy={form.sending} />
  </form>
  {#if wantsPassword && shows.length > 0}
    <p class="mt-6">
      <ActionButton kind="text" class="text-left" onclick={turn}>
        {choosesNew ? rare.linkVerify.iKnowThePasswordI : rare.linkVerify.iDontKnowItOr}
      </ActionButton>
    </p>
  {/if}
</PersonFrame>
