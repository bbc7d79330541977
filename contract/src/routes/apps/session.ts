import { z } from "zod";
import { defineRoute } from "../../route.ts";
import { id } from "../../text.ts";

/** Which of an application's sessions still live: asked once a second for all pages that are open. */
export const findLivingSessions = defineRoute({
  name: "findLivingSessions",
  method: "POST",
  path: "/v1/sessions/living",
  summary: "Which of these sessions still live, 1000 at once, for an application with its app key",
  access: "app",
  body: z.strictObject({ ids: z.array(id).max(1_000, "At most 1000 at once.") }),
  replies: { 200: z.object({ ids: z.array(id) }) },
});
