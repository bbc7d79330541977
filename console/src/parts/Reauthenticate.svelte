<script lang="ts">
  /** In place, before something sensitive: who is it? What the person was doing goes on afterwards. */
  import { routes } from "@lucchetto/contract";
  import { Form } from "../lib/form.svelte.ts";
  import { at, call, page } from "../lib/page.ts";
  import FormProblem from "./FormProblem.svelte";
  import MainButton from "./MainButton.svelte";
  import PasswordField from "./PasswordField.svelte";
  import WhosePassword from "./WhosePassword.svelte";

  interface Props {
    name: string | null;
    shown: () => Promise<void>;
    /** Where somebody without a password comes back to, who signs in again by mail. */
    next?: string;
  }
  const { name, shown, next = window.location.pathname + window.location.search }: Props = $props();
  const mailAddress = $derived(
    `${at("/sign-in")}?${new URLSearchParams({ by: "mail", name: name ?? "", next }).toString()}`,
  );
  const form = new Form();
  let password = $state("");

  async function send(): Promise<void> {
    await call(routes.reauthenticate, { body: { proof: { type: "password", password } } });
    await shown();
  }
  const judge = (): Record<string, string> => (password === "" ? { password: "Enter your password." } : {});
</script>

<form class="space-y-5" novalidate onsubmit={(event) => form.submit(event, judge, send)}>
  <FormProblem problem={form.problem} />
  <p>You signed in a while ago. Show once more that it is you, then it goes on.</p>
  <WhosePassword {name} />
  <PasswordField
    name="password"
    label="Your password"
    bind:value={password}
    autocomplete="current-password"
    error={form.errors["password"]}
  />
  <MainButton text="Go on" busyText="Checking …" busy={form.sending} />
  {#if page.mailLink !== "off"}
    <p>No password? <a href={mailAddress}>Sign in again by a mailed link</a></p>
  {/if}
</form>
