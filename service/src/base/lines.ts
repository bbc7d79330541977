/** Lines of a file, in constant memory: one without end is never held whole. */

/** Bytes of a line at most. */
export const MAX_LINE_BYTES = 2 ** 20;

/** Lines as texts in which each letter is a byte, without their line ends; `null` for one that is longer than `MAX_LINE_BYTES`. */
export async function* linesOf(bytes: AsyncIterable<Buffer>): AsyncGenerator<string | null> {
  let rest = "";
  let isTooLong = false;
  for await (const chunk of bytes) {
    const [first = "", ...more] = chunk.toString("latin1").split("\n");
    rest += isTooLong ? "" : first;
    isTooLong ||= rest.length > MAX_LINE_BYTES;
    for (const next of more) {
      yield isTooLong ? null : rest.replace(/\r$/, "");
      isTooLong = next.length > MAX_LINE_BYTES;
      rest = isTooLong ? "" : next;
    }
  }
  if (isTooLong) yield null;
  else if (rest !== "") yield rest;
}
