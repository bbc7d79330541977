<script lang="ts">
  /** In place, before something sensitive: who is it? What the person was doing goes on afterwards. */
  import { routes } from "@lucchetto/contract";
  import { Form } from "../lib/form.svelte.ts";
  import { call } from "../lib/page.ts";
  import FormProblem from "./FormProblem.svelte";
  import MainButton from "./MainButton.svelte";
  import PasswordField from "./PasswordField.svelte";
  import WhosePassword from "./WhosePassword.svelte";

  const { name, shown }: { name: string | null; shown: () => Promise<void> } = $props();
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
</form>
