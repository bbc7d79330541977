/** The sample application of Brina Huts in front of a test's service. */
import { routes } from "@lucchetto/contract";
import { createSampleApp, deskLinks } from "@lucchetto/demo";
import type { TestService } from "./service.ts";
import { freePort } from "./service.ts";

/** However slow the machine is. */
const MAX_QUESTION_MILLISECONDS = 60_000;

export interface TestSampleApp {
  readonly url: string;
  readonly clientId: string;
  readonly key: string;
  stop(): Promise<void>;
}

/** Registers an app at the service; its addresses are those of the port. */
export async function registerApp(service: TestService, port: number, name = "Brina Huts") {
  const operator = await service.operator();
  const { body } = await service.as(operator)(routes.addApp, {
    body: {
      name,
      redirectUris: [`http://localhost:${port}/signed-in`],
      signedOutUris: [`http://localhost:${port}/signed-out`],
      home: `http://localhost:${port}/`,
      initiateLoginUri: `http://localhost:${port}/sign-in`,
      rights: ["accounts"],
      ownForms: true,
      linkAddresses: deskLinks(`http://localhost:${port}`),
    },
  });
  return {
    service: service.url,
    clientId: body.app.clientId,
    appKey: body.key,
    returnAddress: `http://localhost:${port}/signed-in`,
    signedOutAddress: `http://localhost:${port}/signed-out`,
    timeout: MAX_QUESTION_MILLISECONDS,
    forms: { page: "/desk", takesGuests: false },
  };
}

/** @param more adds routes to it. */
export async function startSampleApp(
  service: TestService,
  more: (app: Awaited<ReturnType<typeof createSampleApp>>) => void = () => undefined,
  name?: string,
): Promise<TestSampleApp> {
  const port = await freePort();
  const options = await registerApp(service, port, name);
  const app = await createSampleApp(options);
  more(app);
  await app.listen({ host: "127.0.0.1", port });
  return {
    url: `http://localhost:${port}`,
    clientId: options.clientId,
    key: options.appKey,
    stop: () => app.close(),
  };
}
