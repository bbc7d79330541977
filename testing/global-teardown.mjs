import { rmSync } from "node:fs";

export default async function tearDown() {
  const { server, directory } = globalThis.testDatabaseServer;
  await server.stop();
  rmSync(directory, { recursive: true, force: true });
}
