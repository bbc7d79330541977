import type { FastifyInstance } from "fastify";
import type { Logger } from "pino";
import { pino, stdSerializers } from "pino";
import type { DataSource } from "typeorm";
import { createMovableClock, readMovedClock, systemClock } from "../../base/clock/clock.ts";
import type { Configuration } from "../../base/config/index.ts";
import { ConfigurationError, warningsOf } from "../../base/config/index.ts";
import { awaitDatabase, openDatabase, schemaStatus, withoutValues } from "../../base/storage/index.ts";
import { lostPasskeys } from "../../people/passkey/relying-party.ts";
import { createService } from "../service.ts";
/** `serve`: runs the service until it is told to stop. */
import { SchemaMismatch } from "./schema.ts";

/** Something else listens there. */
export class PortTaken extends Error {
  override readonly name = "PortTaken";
  /** @param port the one that could not be opened. */
  constructor({ listen, metrics }: Pick<Configuration, "listen" | "metrics">, port: number | undefined) {
    const [setting, at] = port === metrics.port ? ["metrics", metrics] : ["listen", listen];
    super(
      `${setting}.port: ${at.port} on ${at.host} is in use. Stop the program there, or set another ${setting}.port (or LUCCHETTO_${setting.toUpperCase()}_PORT).`,
    );
  }
}

/** Milliseconds after the grace. */
const STOP_WITHIN = 10_000;

/** Starts, says where it is, and ends cleanly on SIGINT and SIGTERM. */
export async function serve(configuration: Configuration, source: string): Promise<void> {
  const logger = createLogger(configuration);
  const dataSource = await (configuration.database.atStart === "wait"
    ? awaitDatabase(configuration, (message) => logger.warn(`${message} Waiting for it.`))
    : openDatabase(configuration));
  const app = await startOn(dataSource, { configuration, source, logger }).catch(async (error: unknown) => {
    // Left open, the database's connections would keep a process alive that serves nobody.
    await dataSource.destroy();
    throw error;
  });
  for (const { name, detail } of warningsOf(configuration)) logger.warn(`${name}: ${detail}`);
  if (configuration.passwords.rules === "off")
    logger.warn("passwords.rules is off: any password is accepted");
  logger.info(`Lucchetto (${configuration.mode}) is running at ${configuration.publicUrl}`);

  let stopping = false;
  const stop = async (): Promise<void> => {
    if (stopping) return;
    stopping = true;
    logger.info("Stopping; requests in progress are finished");
    // A database that hangs is waited for no longer than a supervisor has patience.
    const late = setTimeout(() => {
      logger.error("the service did not stop in time; requests in progress were dropped");
      process.exit(1);
    }, configuration.grace + STOP_WITHIN);
    try {
      await app.close();
      await dataSource.destroy();
    } catch (error) {
      logger.warn({ err: error }, "not everything could be closed");
    }
    clearTimeout(late);
    logger.info("Stopped");
  };
  // Twice on a terminal: at once.
  process.once("SIGINT", () => void stop());
  // Supervisors send it to every process, and whoever started this one passes it on: it may come more than once.
  process.on("SIGTERM", () => void stop());
  // The command that started it is gone, and nobody would ever end it.
  process.once("disconnect", () => void stop());
  process.channel?.unref();
}

/** Starts it on a database, if that is one that it may work on. @throws Error with nothing left open but the database. */
async function startOn(
  dataSource: DataSource,
  { configuration, source, logger }: { configuration: Configuration; source: string; logger: Logger },
): Promise<FastifyInstance> {
  const status = await schemaStatus(dataSource);
  if (!status.current)
    throw new SchemaMismatch(
      status.unknown.length > 0
        ? `The database has migrations unknown to this version (${status.unknown.join(", ")}). Run the version that applied them.`
        : "The database's schema is older than this version. Run: lucchetto schema apply",
    );
  if (configuration.mode === "production" && (await readMovedClock(dataSource)) !== 0)
    throw new ConfigurationError(source, [
      "the service's clock is moved, which production does not allow; in development mode, run: lucchetto clock reset",
    ]);
  const lost = await lostPasskeys(dataSource, configuration);
  if (lost !== null) throw new ConfigurationError(source, [lost]);
  const clock = configuration.mode === "development" ? createMovableClock(dataSource) : systemClock;
  const app = await createService({ configuration, dataSource, clock, logger });
  try {
    await app.listen(configuration.listen);
  } catch (error) {
    await app.close();
    const { code, port } = error as NodeJS.ErrnoException & { port?: number };
    throw code === "EADDRINUSE" ? new PortTaken(configuration, port) : error;
  }
  return app;
}

function createLogger({ log, mode }: Configuration) {
  const readable = mode === "development" && process.stdout.isTTY;
  return pino({
    level: log.level,
    serializers: { err: (error: Error) => stdSerializers.err(withoutValues(error) as Error) },
    ...(readable
      ? {
          transport: {
            target: "pino-pretty",
            options: { ignore: "pid,hostname", translateTime: "HH:MM:ss" },
          },
        }
      : {}),
  });
}
