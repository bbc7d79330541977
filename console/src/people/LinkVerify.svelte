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
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";

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
          heading: lazy.linkVerify.useThisAddress,
          next: lazy.linkVerify.itBecomesTheAddressOf,
          button: lazy.linkVerify.useIt,
        }
      : look.purpose === "invite"
        ? {
            heading: lazy.linkVerify.welcomeTo(page.site.name),
            next: lazy.linkVerify.confirmToStartUsingYour,
            button: lazy.linkVerify.getStarted,
          }
        : {
            heading: lazy.linkVerify.confirmYourAddress,
            next: wantsPassword
              ? lazy.linkVerify.youRegisteredInADifferent
              : lazy.linkVerify.confirmThatThisAddressIs,
            button: lazy.linkVerify.confirmAddress,
          },
  );

  function judge(): Record<string, string> {
    if (!wantsPassword) return {};
    if (choosesNew) return judgeNewPassword(password, repeated);
    return shown.judge(lazy.linkVerify.enterThePasswordYouChose);
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
            {lazy.linkVerify.everythingSetUpDuringRegistration}
          </p>{/if}
        <NewPasswordFields bind:password bind:repeated errors={form.errors} names={[look.name]} />
      {:else}
        <ThingFields
          {shown}
          passwordLabel={lazy.linkVerify.passwordYouRegisteredWith}
          instead={lazy.setUp.instead}
          errors={form.errors}
          chosen={() => (form.errors = {})}
        />
      {/if}
    {/if}
    <MainButton text={words.button} busyText={lazy.linkVerify.oneMoment} busy={form.sending} />
  </form>
  {#if wantsPassword && shows.length > 0}
    <p class="mt-6">
      <ActionButton kind="text" class="text-left" onclick={turn}>
        {choosesNew ? lazy.linkVerify.knowsRegistrationPassword : lazy.linkVerify.iDontKnowItOr}
      </ActionButton>
    </p>
  {/if}
</PersonFrame>
