<script lang="ts">
  /** Links with which a new password is chosen: after forgetting it, or with an invitation. */
  import type { LinkLook, SetUpThing } from "@lucchetto/contract";
  import { Form } from "../lib/form.svelte.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import { page } from "../lib/page.ts";
  import { knowsPasskeys, makePasskey } from "../lib/passkeys.ts";
  import type { Redemption } from "../lib/redemption.ts";
  import { ThingShown } from "../lib/thing-shown.svelte.ts";
  import ActionButton from "../parts/ActionButton.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import SetUpLists from "../parts/SetUpLists.svelte";
  import ThingFields from "../parts/ThingFields.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";
  import { lazyTexts as lazy } from "../texts/lazy-texts.ts";
  import { texts } from "../texts/texts.ts";

  interface Props {
    look: LinkLook;
    redeem: (shown: Redemption) => Promise<void>;
  }
  const { look, redeem }: Props = $props();
  const form = new Form();
  let password = $state("");
  let repeated = $state("");
  /** Whoever shows something that was set up keeps all of it. */
  const shown = new ThingShown(() => look.shows);
  let keeps = $state(false);
  let notMine: string[] = $state([]);
  const mayKeep = $derived(look.shows.length > 0 && look.setUp !== null && look.setUp.goes.some(isKept));
  const judge = (): Record<string, string> => ({
    ...(keeps ? shown.judge(lazy.linkVerify.enterThePasswordYouChose) : {}),
    ...judgeNewPassword(password, repeated),
  });
  const send = async (): Promise<void> =>
    redeem({
      password,
      ...(keeps ? await shown.show() : {}),
      ...(notMine.length === 0 ? {} : { notMine }),
    });

  /** Keys go with any new password. */
  function isKept({ kind }: SetUpThing): boolean {
    return kind !== "access-key";
  }

  function turn(): void {
    keeps = !keeps;
    form.errors = {};
  }
  /** A passkey in the password's place. */
  async function byPasskey(): Promise<void> {
    form.problem = null;
    form.errors = {};
    try {
      await redeem(await makePasskey("register", look.name));
    } catch (error) {
      form.take(error);
    }
  }
  const words = $derived(
    look.purpose === "invite"
      ? {
          heading: texts.linkPassword.welcomeTo(page.site.name),
          next: texts.linkPassword.chooseAPasswordToFinish,
          button: texts.linkPassword.getStarted,
        }
      : look.purpose === "verify"
        ? {
            heading: lazy.linkVerify.confirmYourAddress,
            next: lazy.linkVerify.youRegisteredInADifferent,
            button: lazy.linkVerify.confirmAddress,
          }
        : {
            heading: texts.linkPassword.chooseANewPassword,
            next: texts.linkPassword.youWillBeSignedOut,
            button: texts.linkPassword.savePassword,
          },
  );
</script>

<PersonFrame heading={words.heading} next={words.next}>
  <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
    <FormProblem problem={form.problem} />
    <WhosePassword name={look.name} />
    <p>
      <Interpolate text={texts.linkPassword.account}
        >{#snippet name()}<strong class="break-all">{look.name}</strong>{/snippet}</Interpolate
      >
    </p>
    {#if look.setUp !== null}
      <SetUpLists setUp={look.setUp} isShown={keeps} bind:notMine />
    {/if}
    {#if look.purpose === "verify" && look.setUp !== null}
      <p class="text-quiet">{lazy.setUp.openItThere}</p>
    {/if}
    {#if keeps}
      <ThingFields
        {shown}
        passwordLabel={lazy.linkVerify.passwordYouRegisteredWith}
        instead={lazy.setUp.instead}
        errors={form.errors}
        chosen={() => (form.errors = {})}
      />
    {/if}
    {#if mayKeep}
      <p>
        <ActionButton kind="text" class="text-left" onclick={turn}
          >{keeps ? lazy.setUp.letItGo : lazy.setUp.keepIt}</ActionButton
        >
      </p>
    {/if}
    <NewPasswordFields bind:password bind:repeated errors={form.errors} names={[look.name]} />
    <MainButton text={words.button} busyText={texts.linkPassword.saving} busy={form.sending} />
    {#if look.purpose === "invite" && knowsPasskeys}
      <ActionButton size="lg" class="w-full" onclick={byPasskey}
        >{texts.passkeys.useAPasskeyInstead}</ActionButton
      >
    {/if}
  </form>
</PersonFrame>
