/** A list that the driver gives as JSON or as it is. */
export function readList<Item = string>(json: unknown): Item[] {
  return (typeof json === "string" ? JSON.parse(json) : json) as Item[];
}
