import type { Capability } from "../capability.ts";
import { DAY } from "../capability.ts";
import { keepRecords } from "./background.ts";
import { sweepImported } from "./imported-store.ts";
import { passwordRoutes } from "./routes.ts";

export const passwords: Capability = {
  routes: ({ context }) => passwordRoutes(context),
  background: keepRecords,
  sweeps: [
    {
      what: "what came along with passwords that were replaced",
      keepFor: ({ links }) => links["undo-change"] + 8 * DAY,
      run: sweepImported,
    },
  ],
  figures: [
    {
      name: "lucchetto_password_hashes",
      help: "Password hashes by state: running now, waiting in the queue",
      label: "state",
      read: ({ hashing }) => ({ ...hashing.load() }),
    },
  ],
};
