import type { Capability } from "../capability/capability.ts";
import { describeApi } from "./openapi.ts";

export const description: Capability = {
  routes: ({ context: { configuration } }) => {
    const { publicUrl, mode, site } = configuration;
    let made: Buffer | undefined;
    return async (app) => {
      // Made when somebody first looks, and kept as it is sent.
      app.get("/openapi.json", async (_request, reply) => {
        // As bytes, which all answers share.
        made ??= Buffer.from(
          JSON.stringify(
            describeApi({ publicUrl, siteName: site.name, development: mode === "development" }),
          ),
        );
        return reply.type("application/json; charset=utf-8").send(made);
      });
    };
  },
};
