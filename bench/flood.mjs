#!/usr/bin/env node
/**
 * What a flood costs others: the sign-ins of people beside it, in one run and by turns with quiet seconds.
 *
 * - 140 new passwords of one account at once, over and over;
 * - 100 connections with wrong passwords under invented names, from one network, and from fifty.
 *
 * Wanted: from one network others' p99 at most three times the quiet one, and no 503; from fifty the same for known browsers, strangers
 * within 20 s; whoever floods is told 429.
 *
 *     node bench/flood.mjs [--scheme '$scrypt$ln=15,r=8,p=3'] [--seconds 12]
 */
import { parseArgs } from "node:util";
import { run, say } from "../scripts/say.mjs";
import { keepGoing, PASSWORD, quantile, send, startBenchService } from "./service.mjs";

const CONNECTIONS = 100;
const CHANGES = 140;
const NETWORKS = 50;
/** Others sign in one after the other, as people do, with a pause between. */
const PAUSE = 150;
const PEOPLE = 20;

await run(async () => {
  const { values } = parseArgs({
    options: {
      scheme: { type: "string", default: "$scrypt$ln=15,r=8,p=3" },
      seconds: { type: "string", default: "12" },
    },
  });
  const milliseconds = Number(values.seconds) * 1_000;
  const service = await startBenchService({
    trustedProxies: ["127.0.0.1"],
    passwords: { hashing: { scheme: values.scheme } },
    // As it is by default: in a benchmark others' sign-ins come from networks of their own.
    throttle: { registrations: { most: 1_000_000 } },
  });
  let networks = 0;
  const network = () => `10.${(networks += 1) >> 8}.${networks & 255}.1`;
  const ask = (path, body, { from = network(), ...more } = {}) =>
    send(`${service.url}${path}`, {
      ...{ method: "POST", body, ...more },
      headers: { "x-forwarded-for": from, ...more.headers },
    });
  const signIn = (identifier, { password = PASSWORD, ...more } = {}) =>
    ask("/v1/sign-in", { proof: { type: "password", identifier, password }, deliver: "token" }, more);
  try {
    const people = Array.from({ length: PEOPLE }, (_, index) => `person${index}@brina.example`);
    const marks = new Map();
    const own = { origin: service.url.replace("127.0.0.1", "localhost") };
    for (const email of people) {
      await ask("/v1/accounts", { email, password: PASSWORD, deliver: "token" });
      const proof = { type: "password", identifier: email, password: PASSWORD };
      const reply = await ask("/v1/sign-in", { proof, deliver: "cookie" }, { headers: own });
      const cookies = (reply.headers["set-cookie"] ?? []).map((one) => one.split(";", 1)[0]);
      marks.set(email, cookies.filter((one) => one.includes("-device-")).join("; "));
    }
    if ([...marks.values()].some((mark) => mark === "")) throw new Error("a browser was given no mark");

    /** Times and refusals of people who sign in meanwhile. */
    const others = async () => {
      const times = { known: [], strangers: [] };
      let busy = 0;
      let next = 0;
      await keepGoing(2, milliseconds, async (lane) => {
        const email = people[next++ % PEOPLE];
        const isKnown = lane === 0;
        const reply = await signIn(email, isKnown ? { headers: { ...own, cookie: marks.get(email) } } : {});
        if (reply.status === 503) busy += 1;
        else if (reply.status !== 201) throw new Error(`a sign-in answered ${reply.status}: ${reply.text}`);
        times[isKnown ? "known" : "strangers"].push(reply.took);
        await new Promise((resolve) => setTimeout(resolve, PAUSE));
      });
      return { known: quantile(times.known, 0.99), strangers: quantile(times.strangers, 0.99), busy };
    };
    const beside = async (flood) => {
      const met = {};
      let isOver = false;
      const flooding = flood(
        (status) => (met[status] = (met[status] ?? 0) + 1),
        () => isOver,
      );
      const seen = await others();
      isOver = true;
      await flooding;
      return { ...seen, met };
    };

    const quiet = await others();
    let names = 0;
    const inventing = (from) => async (note, isOver) => {
      await keepGoing(CONNECTIONS, milliseconds, async (lane) => {
        if (isOver()) return;
        const { status } = await signIn(`nobody${(names += 1)}`, {
          from: from(lane),
          password: "a wrong one",
        });
        note(status);
        // What is refused at once is asked again at once, as a flood does; the bench itself stays able to measure.
        if (status !== 401) await new Promise((resolve) => setTimeout(resolve, 20));
      });
    };
    const floods = {
      [`${CHANGES} new passwords of one account`]: await beside(async (note, isOver) => {
        const email = "flood@brina.example";
        const made = await ask("/v1/accounts", { email, password: PASSWORD, deliver: "token" });
        let { token } = JSON.parse(made.text);
        while (!isOver()) {
          const replies = await Promise.all(
            Array.from({ length: CHANGES }, () =>
              ask(
                "/v1/account/password",
                { password: `${PASSWORD} and more` },
                { token, from: "203.0.113.1" },
              ),
            ),
          );
          for (const { status, text } of replies) {
            note(status);
            if (status === 200) token = JSON.parse(text).token;
          }
          await new Promise((resolve) => setTimeout(resolve, 20));
        }
      }),
      [`${CONNECTIONS} connections, one network`]: await beside(inventing(() => "203.0.113.2")),
      [`${CONNECTIONS} connections, ${NETWORKS} networks`]: await beside(
        inventing((lane) => `198.51.${lane % NETWORKS}.1`),
      ),
    };
    say(`${values.scheme}, ${values.seconds} s each; p99 of others' sign-ins in ms, and their 503`);
    const line = (name, known, strangers, rest) =>
      say(`${name.padEnd(38)} ${known.padStart(14)} ${strangers.padStart(14)}   ${rest}`);
    line("", "known browsers", "strangers", "503   flooders were told");
    line("quiet", quiet.known.toFixed(0), quiet.strangers.toFixed(0), String(quiet.busy));
    for (const [name, { known, strangers, busy, met }] of Object.entries(floods)) {
      const times = (value, before) => `${value.toFixed(0)} (${(value / before).toFixed(1)}×)`;
      const told = Object.entries(met).map(([status, count]) => `${status}: ${count}`);
      line(
        name,
        times(known, quiet.known),
        times(strangers, quiet.strangers),
        `${busy}   ${told.join(", ")}`,
      );
    }
  } finally {
    await service.stop();
  }
});
