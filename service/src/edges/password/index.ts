import { keepRecords } from "../../people/password/background.ts";
import { keptAsThing } from "../../people/recovery/kept.ts";
import { sweepImported } from "../../records/password/imported-store.ts";
import { sweepFormerPasswords } from "../../records/password/store.ts";
import type { Capability } from "../capability/capability.ts";
import { passwordRoutes } from "./routes.ts";

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
  gauges: [
    {
      name: "lucchetto_password_hashes",
      help: "Password hashes by state: running now, waiting in the queue",
      label: "state",
      read: ({ hashing }) => ({ ...hashing.load() }),
    },
  ],
};
