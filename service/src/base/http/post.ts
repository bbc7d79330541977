/**
 * One POST to a receiver: over a connection of its own to an address that may be spoken to, within a time, with a
 * bounded answer. Redirects are not followed.
 */
import { lookup } from "node:dns";
import type { IncomingMessage } from "node:http";
import { request as httpRequest } from "node:http";
import { request as httpsRequest } from "node:https";
import type { LookupFunction } from "node:net";
import ipaddr from "ipaddr.js";
import { listedAmong } from "./network.ts";

/** Which addresses may be spoken to. */
interface Reach {
  /** Whether any address will do, as in development. */
  readonly everywhere: boolean;
  /** Private addresses and networks that are allowed nevertheless. */
  readonly listed: readonly string[];
}

interface Answered {
  readonly status: number;
  readonly body: string;
}

/** Characters of an answer that are read; more is a fault. */
const MAX_ANSWER_BYTES = 16 * 1024;

/** The receiver did not answer as it should. The message is for operators. */
export class ReceiverFault extends Error {
  override readonly name = "ReceiverFault";
}

/** @param timeout milliseconds for the whole exchange. @throws ReceiverFault. */
export function post(
  address: string,
  message: { body: string; headers: Readonly<Record<string, string>> },
  { timeout, reach }: { timeout: number; reach: Reach },
): Promise<Answered> {
  const url = new URL(address);
  if (!mayReach(url.hostname.replace(/^\[|\]$/g, ""), reach))
    return Promise.reject(privateAddress(url.hostname));
  const send = url.protocol === "https:" ? httpsRequest : httpRequest;
  return new Promise((resolve, reject) => {
    const fail = (error: Error): void => {
      clearTimeout(timer);
      sent.destroy();
      reject(error instanceof ReceiverFault ? error : new ReceiverFault(describeFault(error)));
    };
    const timer = setTimeout(() => fail(new ReceiverFault(`no answer within ${timeout / 1_000} s`)), timeout);
    const sent = send(url, {
      method: "POST",
      agent: false,
      lookup: guardedLookup(reach),
      headers: {
        ...message.headers,
        "content-type": "application/json; charset=utf-8",
        "content-length": Buffer.byteLength(message.body),
        "user-agent": "Lucchetto",
      },
    });
    sent.once("error", fail);
    sent.once("response", (response) => {
      readBounded(response).then((body) => {
        clearTimeout(timer);
        resolve({ status: response.statusCode ?? 0, body });
      }, fail);
    });
    sent.end(message.body);
  });
}

async function readBounded(response: IncomingMessage): Promise<string> {
  const chunks: Buffer[] = [];
  let length = 0;
  for await (const chunk of response) {
    const bytes = chunk as Buffer;
    length += bytes.length;
    if (length > MAX_ANSWER_BYTES)
      throw new ReceiverFault(`the answer is longer than ${MAX_ANSWER_BYTES} bytes`);
    chunks.push(bytes);
  }
  return Buffer.concat(chunks).toString("utf8");
}

/** Looks a name up, and refuses it if any of its addresses is one that may not be spoken to. */
function guardedLookup(reach: Reach): LookupFunction {
  return (hostname, options, callback) => {
    lookup(hostname, { ...options, all: true }, (error, addresses) => {
      if (error !== null) return callback(error, "", 0);
      const first = addresses[0];
      if (first === undefined || !addresses.every(({ address }) => mayReach(address, reach)))
        return callback(privateAddress(hostname), "", 0);
      if (options.all === true) return callback(null, addresses);
      return callback(null, first.address, first.family);
    });
  };
}

/** A name is judged when it is looked up; an address at once. */
function mayReach(host: string, { everywhere, listed }: Reach): boolean {
  if (everywhere || !ipaddr.isValid(host)) return true;
  const address = ipaddr.process(host);
  if (address.range() === "unicast") return true;
  return listedAmong(listed, host);
}

function privateAddress(host: string): ReceiverFault {
  return new ReceiverFault(
    `${host} is a private address; list it in webhooks.privateReceivers if that is meant`,
  );
}

function describeFault(error: Error): string {
  const { code } = error as NodeJS.ErrnoException;
  return code === undefined ? error.message : `no connection (${code})`;
}
