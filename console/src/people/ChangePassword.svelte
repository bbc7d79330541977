<script lang="ts">
  /** A new password: in the place of the present one, or where there is none. What else opens the account is shown beside it. */
  import type { AccessKey } from "@lucchetto/contract";
  import { RECENT_KEY_DAYS } from "@lucchetto/contract/pages";
  import { onMount } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { judgeNewPassword } from "../lib/new-password.ts";
  import { at, call, millisecondsUntil } from "../lib/page.ts";
  import { ProofFirst } from "../lib/proof-first.svelte.ts";
  import { session } from "../lib/session.svelte.ts";
  import Ago from "../parts/Ago.svelte";
  import Checkbox from "../parts/Checkbox.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import Interpolate from "../parts/Interpolate.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import NewPasswordFields from "../parts/NewPasswordFields.svelte";
  import PasswordField from "../parts/PasswordField.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import ProofFirstHere from "../parts/ProofFirstHere.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";
  import WhosePassword from "../parts/WhosePassword.svelte";
  import { texts } from "../texts/texts.ts";

  const form = new Form();
  let present = $state("");
  let password = $state("");
  let repeated = $state("");
  let done: { endedSessions: number; endedAccessKeys: number } | null = $state(null);
  /** Somebody who signs in without one sets one here. */
  let hasPassword = $state(true);
  let keys: AccessKey[] = $state([]);
  let kept: string[] = $state([]);
  const isRecent = ({ createdAt }: AccessKey): boolean =>
    millisecondsUntil(createdAt) > -RECENT_KEY_DAYS * 86_400_000;

  onMount(async () => {
    await session.ask();
    if (session.who.state === "guest") {
      window.location.replace(`${at("/sign-in")}?next=${encodeURIComponent(window.location.pathname)}`);
      return;
    }
    const [passkeys, listed] = await Promise.all([call(routes.listPasskeys), call(routes.listAccessKeys)]);
    ({ hasPassword } = passkeys.body);
    keys = listed.body.items;
  });

  function judge(): Record<string, string> {
    const errors: Record<string, string> =
      hasPassword && present === "" ? { present: texts.changePassword.enterYourCurrentPassword } : {};
    return { ...errors, ...judgeNewPassword(password, repeated) };
  }

  const change = new ProofFirst(async () => {
    const shown = hasPassword ? { present } : {};
    const keepAccessKeys = kept;
    ({ body: done } = await call(routes.changePassword, { body: { ...shown, password, keepAccessKeys } }));
    // Password managers take a change of the page's address as success.
    window.history.replaceState(null, "", at("/account/password"));
  });

  const ended = $derived.by(() => {
    if (done === null) return "";
    const { endedSessions, endedAccessKeys } = done;
    const sessions =
      endedSessions === 0
        ? texts.changePassword.youWereNotSignedIn
        : texts.changePassword.othersEnded(endedSessions);
    return endedAccessKeys === 0
      ? sessions
      : `${sessions} ${texts.changePassword.keysEnded(endedAccessKeys)}`;
  });
  const heading = $derived(
    hasPassword ? texts.changePassword.changePassword : texts.changePassword.setPassword,
  );
</script>

{#if done !== null}
  <PersonFrame heading={texts.changePassword.passwordChanged} next={ended}>
    <p role="status"><a href={at("/account")}>{texts.changePassword.yourAccount}</a></p>
  </PersonFrame>
{:else if session.who.state === "signed-in"}
  {@const { account } = session.who}
  <PersonFrame {heading} next={texts.changePassword.youStaySignedInHere}>
    {#if change.wanted}
      <ProofFirstHere {account} {change} />
    {:else}
      <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, change.send)}>
        <FormProblem problem={form.problem} />
        <WhosePassword name={account.email ?? account.username} />
        {#if hasPassword}
          <PasswordField
            name="present"
            label={texts.changePassword.currentPassword}
            bind:value={present}
            autocomplete="current-password"
            error={form.errors["present"]}
          />
        {/if}
        <NewPasswordFields
          bind:password
          bind:repeated
          errors={form.errors}
          names={[account.email, account.username, account.displayName]}
        />
        {#if keys.length > 0}
          <fieldset class="border-line rounded-lg border p-4">
            <legend class="px-1 font-medium">{texts.changePassword.accessKeys}</legend>
            <p class="text-quiet">{texts.changePassword.keysOfTheLastDays(RECENT_KEY_DAYS)}</p>
            <ul class="mt-3 space-y-3">
              {#each keys as one (one.id)}
                <li>
                  {#if isRecent(one)}
                    <Checkbox
                      name={`keep-${one.id}`}
                      bind:checked={
                        () => kept.includes(one.id),
                        (is) => (kept = is ? [...kept, one.id] : kept.filter((id) => id !== one.id))
                      }>{texts.changePassword.keepKey(one.name)}</Checkbox
                    >
                  {:else}
                    {texts.changePassword.staysKey(one.name)}
                  {/if}
                  <p class="text-quiet text-sm">
                    <Interpolate text={texts.changePassword.keyMade}
                      >{#snippet when()}<Ago
                          at={one.createdAt}
                        />{/snippet}{#snippet network()}{one.network ??
                          texts.changePassword.unknown}{/snippet}</Interpolate
                    >;
                    {#if one.lastUsedAt === null}{texts.changePassword.keyNeverUsed}{:else}<Interpolate
                        text={texts.changePassword.keyUsed}
                        >{#snippet when()}<Ago at={one.lastUsedAt} />{/snippet}</Interpolate
                      >{/if}
                  </p>
                </li>
              {/each}
            </ul>
          </fieldset>
        {/if}
        <MainButton text={heading} busyText={texts.changePassword.changing} busy={form.sending} />
      </form>
      <p class="mt-6"><a href={at("/account")}>{texts.changePassword.cancel}</a></p>
    {/if}
  </PersonFrame>
{:else if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if session.who.state === "failed"}
  <PersonFrame
    heading={texts.changePassword.changePassword}
    next={texts.changePassword.thisCannotBeShownRight}
  >
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
