/** Spellings of closed paths that some reader may take for them, and a way to ask for each as it is written. */
import { connect } from "node:net";
import fc from "fast-check";

/** Of `/members/…`, `/graphql` and `/keepers/ledger`; the same ones each time. */
export function spellings(count: number): string[] {
  const piece = fc.oneof(
    { weight: 5, arbitrary: fc.constantFrom("members", "graphql", "keepers", "ledger", "x", "1", "") },
    {
      weight: 3,
      arbitrary: fc.constantFrom(".", "..", "%2e", "%2e%2e", "%252e%252e", "..;x", ";a=b", "%2f", "%5c"),
    },
    {
      weight: 2,
      arbitrary: fc
        .tuple(fc.constantFrom("members", "graphql", "keepers", "ledger"), fc.nat(7), fc.nat(2))
        .map(([word, at, kind]) => disguised(word, at % word.length, kind)),
    },
  );
  const separator = fc.constantFrom("/", "/", "/", "//", "%2f", "%252f", "\\", "/./", "/../");
  const target = fc
    .tuple(
      fc.constantFrom("/", "/", "/", "//", "http://elsewhere.example/", "http:/", "/./", "/%2e/"),
      fc.array(fc.tuple(piece, separator), { minLength: 1, maxLength: 4 }),
      fc.constantFrom("", "", "?a=/graphql", "#x", "/", "%23x", "%3fx"),
    )
    .map(([start, parts, end]) => start + parts.map((pair) => pair.join("")).join("") + end);
  return fc.sample(target, { numRuns: count, seed: 7 });
}

/** Asks as written, in the request line, one after the other; a line that is no HTTP ends the connection, and a new one goes on. */
export async function askAll(port: number, targets: readonly string[]): Promise<void> {
  let next = 0;
  while (next < targets.length)
    await new Promise<void>((resolve, reject) => {
      const socket = connect(port, "127.0.0.1");
      const askNext = () => {
        if (next === targets.length) return socket.end();
        socket.write(`GET ${targets[next]} HTTP/1.1\r\nHost: localhost\r\n\r\n`);
        next += 1;
      };
      socket
        .on("connect", askNext)
        .on("error", reject)
        .on("close", () => resolve());
      socket.setEncoding("latin1").on("data", (answer: string) => {
        if (answer.startsWith("HTTP/1.1 ") && !/^connection: close/im.test(answer)) askNext();
      });
    });
}

/** One letter in another case, encoded, or encoded twice. */
function disguised(word: string, at: number, kind: number): string {
  const letter = word[at] ?? "";
  const code = letter.charCodeAt(0).toString(16);
  const other = [letter.toUpperCase(), `%${code}`, `%25${code}`][kind] ?? letter;
  return word.slice(0, at) + other + word.slice(at + 1);
}
