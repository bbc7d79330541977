/** A number of bytes for people: `32 MiB`, `4 KiB`. */
export function bytes(count: number): string {
  const mebibytes = count / 2 ** 20;
  return mebibytes >= 1
    ? `${Number(mebibytes.toFixed(1))} MiB`
    : `${Math.max(1, Math.round(count / 1024))} KiB`;
}
