import type { Capability } from "../capability.ts";
import { keepRecords } from "./background.ts";
import { passwordRoutes } from "./routes.ts";

export const passwords: Capability = {
  routes: ({ context }) => passwordRoutes(context),
  background: keepRecords,
  figures: [
    {
      name: "lucchetto_password_hashes",
      help: "Password hashes by state: running now, waiting in the queue",
      label: "state",
      read: ({ hashing }) => ({ ...hashing.load() }),
    },
  ],
};
