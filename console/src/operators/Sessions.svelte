<script lang="ts">
  import { routes } from "@lucchetto/contract";
  import type { OperatorSession } from "@lucchetto/contract";
  import SessionRows from "./SessionRows.svelte";
  import { List } from "../lib/list.svelte.ts";
  import { call, title } from "../lib/page.ts";

  const list = new List<OperatorSession>(
    async (cursor) => (await call(routes.listSessions, { query: { cursor } })).body,
  );
  void list.begin();
</script>

<svelte:head><title>{title("Sessions")}</title></svelte:head>
<h1 class="mb-4 text-xl font-semibold">Sessions</h1>
<SessionRows {list} withAccount ended={() => void list.begin()} />
