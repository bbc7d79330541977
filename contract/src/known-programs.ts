/** Programs that are named by what they say of themselves. Of any other the name would be a stranger's words in somebody's mail. */
const KNOWN = ["lucchetto", "curl", "wget", "node", "undici", "python-requests", "okhttp", "go-http-client"];

/** @param userAgent as it came, of any length. @returns its name, if it is one of the known ones. */
export function knownProgram(userAgent: string): string | null {
  const name = userAgent.split(/[ /]/, 1)[0]?.toLowerCase();
  return KNOWN.find((one) => one === name) ?? null;
}
