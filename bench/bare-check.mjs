/** The bare side of session-check.mjs: one route, one prepared primary-key join for each request, nothing else. */
import Fastify from "fastify";
import { createPool } from "mysql2/promise";

const [port, database] = process.argv.slice(2);
const pool = createPool({ ...JSON.parse(database), timezone: "Z" });
const app = Fastify();
app.get("/check/:id", async (request, reply) => {
  const [[row]] = await pool.execute(
    `SELECT s.id AS sid, s.kind, s.aal, s.amr, s.authTime, s.createdAt, s.lastSeenAt, s.idleEndsAt, s.endsAt, s.endedAt,
            a.id, a.reference, a.email, a.emailVerifiedAt, a.username, a.displayName, a.state, a.labels
     FROM session s JOIN account a ON a.id = s.accountId WHERE s.id = ?`,
    [request.params.id],
  );
  return row === undefined ? reply.status(404).send() : row;
});
await app.listen({ port: Number(port), host: "127.0.0.1" });
process.send("ready");
