/**
 * What open pages cost: database questions a second for streams of events, with and without them, in one run.
 *
 *     node bench/many-streams.mjs [--streams 2000] [--seconds 10]
 */
import { Agent, get } from "node:http";
import { parseArgs } from "node:util";
import { say } from "../scripts/say.mjs";
import { PASSWORD, send, startBenchService } from "./service.mjs";

const { values } = parseArgs({
  options: { streams: { type: "string", default: "2000" }, seconds: { type: "string", default: "10" } },
});
const STREAMS = Number(values.streams);
const SECONDS = Number(values.seconds);

const service = await startBenchService({
  passwords: { hashing: { scheme: "$scrypt$ln=4,r=8,p=1" }, rules: "off" },
});
const agent = new Agent({ keepAlive: true, maxSockets: STREAMS + 10 });
const streams = [];

const registered = await send(`${service.url}/v1/accounts`, {
  method: "POST",
  body: { email: "anna@brina.example", password: PASSWORD, deliver: "token" },
});
if (registered.status !== 201) throw new Error(`registering answered ${registered.status}`);
const tokens = [];
const signIn = async () => {
  const proof = { type: "password", identifier: "anna@brina.example", password: PASSWORD };
  const reply = await send(`${service.url}/v1/sign-in`, {
    method: "POST",
    body: { proof, deliver: "token" },
  });
  if (reply.status !== 201) throw new Error(`a sign-in answered ${reply.status}`);
  return JSON.parse(reply.text).token;
};
// One after the other: tries of one account that meet count as failed ones until they are settled.
while (tokens.length < STREAMS) tokens.push(await signIn());

async function questions() {
  const rows = await service.query("SHOW GLOBAL STATUS WHERE Variable_name IN ('Com_select', 'Questions')");
  return Object.fromEntries(rows.map(({ Variable_name, Value }) => [Variable_name, Number(Value)]));
}
async function questionsASecond() {
  const before = await questions();
  await new Promise((resolve) => setTimeout(resolve, SECONDS * 1_000));
  const after = await questions();
  return (after.Com_select - before.Com_select) / SECONDS;
}

const without = await questionsASecond();
for (const token of tokens.slice(0, STREAMS)) {
  streams.push(
    await new Promise((resolve, reject) => {
      const request = get(
        `${service.url}/v1/session/events`,
        { agent, headers: { authorization: `Bearer ${token}` } },
        (response) => {
          response.resume();
          if (response.statusCode === 200) resolve(request);
          else reject(new Error(`a stream answered ${response.statusCode}`));
        },
      );
      request.on("error", reject);
    }),
  );
}
const withThem = await questionsASecond();
say(
  `${streams.length} streams: ${withThem.toFixed(2)} selects a second, without them ${without.toFixed(2)}: ${(withThem - without).toFixed(2)} a second for all of them`,
);
for (const stream of streams) stream.destroy();
await service.stop();
process.exit(0);
