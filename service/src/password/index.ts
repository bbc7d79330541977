import type { Capability } from "../capability.ts";
import { keptAsThing } from "../recovery/kept.ts";
import { keepRecords } from "./background.ts";
import { sweepImported } from "./imported-store.ts";
import { passwordRoutes } from "./routes.ts";
import { sweepFormerPasswords } from "./store.ts";

export const passwords: Capability = {
  routes: ({ context }) => passwordRoutes(context),
  background: keepRecords,
  sweeps: [
    {
      what: "what came along with passwords that were replaced",
      keepFor: ({ links }) => keptAsThing(links),
      run: sweepImported,
    },
    {
      what: "passwords that were replaced",
      keepFor: ({ links }) => keptAsThing(links),
      run: sweepFormerPasswords,
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
