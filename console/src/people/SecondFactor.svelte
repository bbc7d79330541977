<script lang="ts">
  /** The second factor of one's own account: authenticator apps and recovery codes. */
  import type { Authenticator } from "@lucchetto/contract";
  import { onMount, tick } from "svelte";
  import { routes } from "virtual:routes";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call } from "../lib/page.ts";
  import { ProofFirst } from "../lib/proof-first.svelte.ts";
  import { session } from "../lib/session.svelte.ts";
  import Ago from "../parts/Ago.svelte";
  import Field from "../parts/Field.svelte";
  import FormProblem from "../parts/FormProblem.svelte";
  import MainButton from "../parts/MainButton.svelte";
  import PersonFrame from "../parts/PersonFrame.svelte";
  import Reauthenticate from "../parts/Reauthenticate.svelte";
  import RecoveryCodes from "../parts/RecoveryCodes.svelte";
  import SignedOutHere from "../parts/SignedOutHere.svelte";

  interface Begun {
    readonly id: string;
    readonly secret: string;
    readonly uri: string;
    readonly qrSvg: string;
  }

  /** From so few recovery codes on a new set is urged. */
  const FEW = 3;

  const form = new Form();
  let items: Authenticator[] | null = $state(null);
  let left = $state(0);
  let problem: string | null = $state(null);
  let said = $state("");
  let begun: Begun | null = $state(null);
  let code = $state("");
  let codes: readonly string[] | null = $state(null);
  let renaming: { id: string; name: string } | null = $state(null);

  onMount(async () => {
    await session.askOrSignIn();
    if (session.who.state === "signed-in") await look();
  });

  async function look(): Promise<void> {
    try {
      ({ items } = (await call(routes.listAuthenticators)).body);
      ({ left } = (await call(routes.countRecoveryCodes)).body);
      problem = null;
    } catch (error) {
      problem = (error as Error).message;
    }
  }

  const beginning = new ProofFirst(async () => {
    const { body } = await call(routes.enrolAuthenticator, { body: {} });
    begun = body;
    code = "";
    codes = null;
    said = "";
  });
  let toRemove: Authenticator | null = $state(null);
  const removing = new ProofFirst(async () => {
    if (toRemove === null) return;
    const { id, name } = toRemove;
    await call(routes.removeAuthenticator, { params: { id } });
    toRemove = null;
    codes = null;
    said = `“${name}” is removed. Its codes are refused from now on.`;
    await look();
  });
  const renewing = new ProofFirst(async () => {
    const { body } = await call(routes.makeRecoveryCodes);
    codes = body.codes;
    said = "The old recovery codes are void.";
    await look();
  });
  const asked = $derived([beginning, removing, renewing].find(({ wanted }) => wanted));

  /** For buttons, whose faults stand above the page. */
  function start(change: ProofFirst): void {
    problem = null;
    change.send().catch((error: unknown) => (problem = (error as Error).message));
  }

  async function confirm(): Promise<void> {
    if (begun === null) return;
    const { body } = await call(routes.activateAuthenticator, {
      params: { id: begun.id },
      body: { code },
    });
    begun = null;
    codes = body.recoveryCodes ?? null;
    said = "It is set up. From now on every sign-in asks for a code.";
    await session.ask();
    await look();
  }
  const judge = (): Record<string, string> => (code.trim() === "" ? { code: "Type the code." } : {});

  async function endOthers(): Promise<void> {
    try {
      const { ended } = (await call(routes.endOtherSessions)).body;
      said =
        ended === 0
          ? "There was no other session."
          : `${ended === 1 ? "One session is" : `${ended} sessions are`} ended.`;
    } catch (error) {
      problem = (error as Error).message;
    }
  }

  async function rename(event: SubmitEvent): Promise<void> {
    event.preventDefault();
    if (renaming === null || renaming.name.trim() === "") return;
    try {
      const { id, name } = renaming;
      await call(routes.renameAuthenticator, { params: { id }, body: { name: name.trim() } });
      renaming = null;
      await look();
    } catch (error) {
      problem = (error as Error).message;
    }
  }

  async function beginRenaming({ id, name }: Authenticator): Promise<void> {
    renaming = { id, name };
    await tick();
    document.querySelector<HTMLInputElement>("#name")?.select();
  }
</script>

{#if session.who.state === "guest" && session.wasSignedIn}
  <SignedOutHere />
{:else if session.who.state === "signed-in" && (items !== null || problem !== null)}
  {@const { account } = session.who}
  {@const apps = items ?? []}
  <PersonFrame
    heading="Second factor"
    next="Besides the password a sign-in then asks for a code that only your device makes."
  >
    <FormProblem {problem} />
    <p role="status" class="text-verdigris mb-4">{said}</p>
    {#if asked !== undefined}
      <Reauthenticate name={account.email ?? account.username} shown={asked.goOn} />
      <p class="mt-6">
        <button type="button" class="text-link underline" onclick={() => (asked.wanted = false)}>Back</button>
      </p>
    {:else if begun !== null}
      <ol class="mb-6 list-decimal space-y-6 pl-6">
        <li>
          Take the picture with your authenticator app.
          <img
            class="mt-3 w-56 rounded-lg bg-white"
            src="data:image/svg+xml;utf8,{encodeURIComponent(begun.qrSvg)}"
            alt="QR code of the secret"
          />
          <details class="mt-3">
            <summary class="text-link cursor-pointer">Type it instead</summary>
            <p class="mt-2">The app asks for a key. It counts by time, six digits.</p>
            <code class="mt-1 block break-all">{begun.secret.replace(/.{4}(?=.)/g, "$& ")}</code>
            <p class="mt-2"><a href={begun.uri}>Open in an app on this device</a></p>
          </details>
        </li>
        <li>Type the six digits that it shows now.</li>
      </ol>
      <form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, confirm)}>
        <FormProblem problem={form.problem} />
        <Field
          name="code"
          label="Code"
          autocomplete="one-time-code"
          inputmode="numeric"
          bind:value={code}
          error={form.errors["code"]}
        />
        <MainButton text="Set it up" busyText="Checking …" busy={form.sending} />
      </form>
      <p class="mt-6">
        <button type="button" class="text-link underline" onclick={() => (begun = null)}>Not now</button>
      </p>
    {:else}
      {#if codes !== null}
        <RecoveryCodes {codes} site={account.email ?? account.username ?? ""} />
        <p class="mb-8">
          Other sessions of yours go on as they are.
          <button type="button" class="text-link min-h-6 underline" onclick={endOthers}>End all others</button
          >
        </p>
      {/if}
      {#if apps.length === 0}
        <p class="mb-6">There is none yet: whoever knows your password is in.</p>
        <form
          onsubmit={(event) => {
            event.preventDefault();
            start(beginning);
          }}
        >
          <MainButton text="Set up an authenticator app" busyText="One moment …" busy={false} />
        </form>
      {:else}
        <ul class="divide-line border-line divide-y border-y">
          {#each apps as one (one.id)}
            <li class="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-2 py-3">
              {#if renaming?.id === one.id}
                <form class="flex w-full flex-wrap items-end gap-3" onsubmit={rename}>
                  <div class="grow">
                    <Field
                      name="name"
                      label="How you call it"
                      autocomplete="off"
                      bind:value={renaming.name}
                    />
                  </div>
                  <button type="submit" class="border-line bg-slab rounded border px-4 py-2">Keep</button>
                </form>
              {:else}
                <div>
                  <h2 class="font-semibold">{one.name}</h2>
                  <p class="text-quiet text-sm">
                    set up <Ago at={one.createdAt} />,
                    {#if one.lastUsedAt === null}never used{:else}last used <Ago at={one.lastUsedAt} />{/if}
                  </p>
                </div>
                <div class="flex gap-3">
                  <button
                    type="button"
                    class="border-line bg-slab min-h-6 rounded border px-3 py-1 text-sm"
                    aria-label="Rename {one.name}"
                    onclick={() => beginRenaming(one)}>Rename</button
                  >
                  <button
                    type="button"
                    class="border-rust text-rust bg-slab min-h-6 rounded border px-3 py-1 text-sm"
                    aria-label="Remove {one.name}"
                    onclick={() => {
                      toRemove = one;
                      start(removing);
                    }}>Remove</button
                  >
                </div>
              {/if}
            </li>
          {/each}
        </ul>
        <p class="mt-3">
          <button type="button" class="text-link min-h-6 underline" onclick={() => start(beginning)}
            >Set up another one</button
          >
        </p>
        <h2 class="mt-10 text-lg font-semibold">Recovery codes</h2>
        <p class={["mt-2", left <= FEW && "border-brass border-l-4 pl-4"]}>
          {left === 0 ? "None is" : left === 1 ? "One is" : `${left} are`} left.
          {#if left <= FEW}Make a new set, before your device is lost and there is no way in.{/if}
        </p>
        <p class="mt-3">
          <button
            type="button"
            class="border-line bg-slab min-h-6 rounded border px-4 py-2"
            onclick={() => start(renewing)}>Make a new set</button
          >
        </p>
      {/if}
      <p class="mt-8"><a href={at("/account")}>Your account</a></p>
    {/if}
  </PersonFrame>
{:else if session.who.state === "failed"}
  <PersonFrame heading="Second factor" next="It cannot be shown at the moment.">
    <FormProblem problem={session.who.message} />
  </PersonFrame>
{/if}
