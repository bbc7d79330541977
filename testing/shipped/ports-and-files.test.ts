/** What the built service opens and writes besides its own port and its database: the metrics' port, and the journal's head. */
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, test } from "@jest/globals";
import { routes } from "@lucchetto/contract";
import { eventually, textIn } from "../eventually.ts";
import { freePort } from "../service.ts";
import { startShipped } from "../shipped-service.ts";

test("HK-5 JO-9 metrics have a port of their own, and the head of the journal a file", async () => {
  const folder = mkdtempSync(join(tmpdir(), "lucchetto-head-"));
  const port = await freePort();
  const headFile = join(folder, "head.txt");
  const service = await startShipped({
    settings: { LUCCHETTO_METRICS_PORT: String(port), LUCCHETTO_JOURNAL_HEAD_FILE: headFile },
  });
  try {
    await expect(startShipped({ settings: { LUCCHETTO_METRICS_PORT: String(port) } })).rejects.toThrow(
      `metrics.port: ${port} on 127.0.0.1 is in use`,
    );
    await expect(
      startShipped({ settings: { LUCCHETTO_METRICS_PORT: "9464", LUCCHETTO_METRICS_HOST: "0.0.0.0" } }),
    ).rejects.toThrow("metrics.host: found 0.0.0.0, expected a loopback name");
    expect((await fetch(`${service.url}/metrics`)).status).toBe(404);
    expect(await (await fetch(`http://127.0.0.1:${port}/metrics`)).text()).toContain("lucchetto_journal");
    const office = service.as(await service.operator());
    await eventually(async () => {
      const { body } = await office(routes.showJournalHead);
      return body.waiting === 0 && textIn(headFile) === body.head;
    }, "all is chained, and its head kept");
    const { body } = await office(routes.verifyJournal, { query: { after: 0 } });
    expect(body).toMatchObject({ flaw: null, heldHead: true });
  } finally {
    await service.stop();
    rmSync(folder, { recursive: true });
  }
});
