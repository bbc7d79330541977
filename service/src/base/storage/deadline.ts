/**
 * The database driver, with an end to every wait: for a connection, for a lock, for an answer. A statement outside a
 * transaction that the database chose to break a deadlock with is asked again.
 */
import type { Pool, PoolConnection, PoolOptions } from "mysql2";
import mysql from "mysql2";
import { DEADLOCK, errorCode, MAX_TRIES, pauseBeforeNewTry } from "./deadlock.ts";

/** The code of an answer that did not come in time. */
export const NO_ANSWER = "NO_ANSWER_IN_TIME";

class NoAnswerInTime extends Error {
  override readonly name = "NoAnswerInTime";
  readonly code = NO_ANSWER;
}

type Done = (error: unknown, ...rest: unknown[]) => void;

/**
 * What the mapper takes in place of the driver.
 * @param deadline milliseconds that anything is waited for. The server ends a statement a little earlier by itself, and a
 * wait for a lock at the half; a connection on which nothing came at all is given up, and another takes its place.
 */
export function driverWithDeadline(deadline: number): object {
  const statementSeconds = (deadline * 0.9) / 1_000;
  const lockSeconds = Math.max(1, Math.floor(deadline / 2_000));
  const settings = `SET SESSION innodb_lock_wait_timeout = ${lockSeconds}, max_statement_time = ${statementSeconds}`;
  return {
    ...mysql,
    createPool(options: PoolOptions): Pool {
      const pool = mysql.createPool(options);
      pool.on("connection", (connection) => {
        endWaits(connection, deadline);
        connection.query(settings, (error) => {
          if (error !== null) connection.destroy();
        });
      });
      // Both waits together are what a request may take.
      limitTheQueue(pool, deadline / 2);
      return pool;
    },
  };
}

/**
 * A connection that answers nothing is of no use to whoever would get it next. What it lost a deadlock with is asked again here,
 * so that no path can forget it.
 */
function endWaits(connection: PoolConnection, deadline: number): void {
  const ask = connection.query.bind(connection) as (sql: unknown, values: unknown, done: Done) => unknown;
  let isInTransaction = false;
  const askAgain = (tries: number, [sql, values, done]: [unknown, unknown, Done]): unknown =>
    ask(sql, values, (error, ...answer) => {
      // Of a transaction all is lost, and whoever began it begins again.
      if (isInTransaction || tries === MAX_TRIES || errorCode(error) !== DEADLOCK)
        return done(error, ...answer);
      setTimeout(() => askAgain(tries + 1, [sql, values, done]), pauseBeforeNewTry());
    });
  const query = (sql: unknown, ...rest: unknown[]) => {
    const late = `no answer from the database within ${deadline} ms`;
    const done = inTime(rest.pop() as Done, { deadline, late, giveUp: () => connection.destroy() });
    if (sql === "START TRANSACTION") isInTransaction = true;
    if (sql === "COMMIT" || sql === "ROLLBACK") isInTransaction = false;
    return askAgain(1, [sql, rest[0], done]);
  };
  connection.query = query as PoolConnection["query"];
}

/** Whoever waits for a connection waits no longer either. */
function limitTheQueue(pool: Pool, deadline: number): void {
  const get = pool.getConnection.bind(pool);
  const late = `no connection to the database was free within ${deadline} ms`;
  pool.getConnection = (done) =>
    get(
      inTime(done as Done, {
        deadline,
        late,
        afterwards: (_error, connection) => (connection as PoolConnection | undefined)?.release(),
      }),
    );
}

/**
 * Hands an answer on, or says that it is late. The timer keeps no process alive: what is waited for does.
 * @param giveUp is done when it is late. @param afterwards takes an answer that comes nevertheless.
 */
function inTime(
  done: Done,
  {
    deadline,
    late,
    giveUp,
    afterwards,
  }: { deadline: number; late: string; giveUp?: () => void; afterwards?: Done },
): Done {
  let state: "waiting" | "answered" | "late" = "waiting";
  const endWait = () => {
    if (state !== "waiting") return;
    state = "late";
    giveUp?.();
    done(new NoAnswerInTime(late));
  };
  // After a process or its machine stood still, what has arrived meanwhile is read first.
  const timer = setTimeout(() => setImmediate(endWait), deadline).unref();
  return (...answer) => {
    if (state === "late") return afterwards?.(...answer);
    state = "answered";
    clearTimeout(timer);
    done(...answer);
  };
}
