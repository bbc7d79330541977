<script lang="ts">
  import type { OperatorSession } from "@lucchetto/contract";
  import { routes } from "virtual:routes";
  import { List } from "../lib/list.svelte.ts";
  import { call, title } from "../lib/page.ts";
  import { consoleTexts as texts } from "../texts/console.ts";
  import SessionRows from "./SessionRows.svelte";

  const list = new List<OperatorSession>(
    async (cursor) => (await call(routes.listSessions, { query: { cursor } })).body,
  );
  void list.begin();
</script>

<svelte:head><title>{title(texts.sessions.sessions)}</title></svelte:head>
<h1 class="mb-4 text-xl font-semibold">{texts.sessions.sessions}</h1>
<SessionRows {list} withAccount ended={() => void list.begin()} />
