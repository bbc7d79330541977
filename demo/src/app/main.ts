/** Runs the sample application. Everything it needs stands in the environment. */
import { createSampleApp } from "./app.ts";

function need(name: string): string {
  const value = process.env[name];
  if (value !== undefined && value !== "") return value;
  throw new Error(`${name} is not set; \`npm run demo\` sets it`);
}

const port = Number(need("BRINA_PORT"));
const options = {
  service: need("LUCCHETTO_SERVICE"),
  clientId: need("LUCCHETTO_CLIENT_ID"),
  appKey: need("LUCCHETTO_APP_KEY"),
  returnAddress: `http://localhost:${port}/signed-in`,
  signedOutAddress: `http://localhost:${port}/signed-out`,
  forms: { page: "/desk", takesGuests: false },
} as const;
const app = await createSampleApp(options, {
  webhookSecret: process.env["BRINA_WEBHOOK_SECRET"],
});
await app.listen({ host: "127.0.0.1", port });
process.once("SIGTERM", () => void app.close());
