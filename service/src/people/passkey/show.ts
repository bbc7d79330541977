/** A passkey as people see it: what it says of itself, never its key. */
import type { Passkey } from "@lucchetto/contract";
import type { PasskeyRow } from "../../base/storage/index.ts";

/** By what it is described. */
interface Described {
  readonly transports: readonly string[];
  readonly backupEligible: boolean;
}

/** What a passkey says of itself. */
function kindOf({ transports, backupEligible }: Described): Passkey["kind"] {
  if (transports.includes("internal")) return backupEligible ? "synced" : "this-device";
  if (transports.some((name) => KEY_TRANSPORTS.has(name))) return "security-key";
  if (transports.includes("hybrid")) return "phone";
  return backupEligible ? "synced" : "security-key";
}

const KEY_TRANSPORTS: ReadonlySet<string> = new Set(["usb", "nfc", "ble", "smart-card"]);

const NAME_OF_KIND: Readonly<Record<Passkey["kind"], string>> = {
  synced: "Synced passkey",
  "this-device": "Passkey on this device",
  phone: "Passkey on a phone",
  "security-key": "Security key",
};

/** What it is called until its owner calls it something else. */
export function usualName(described: Described): string {
  return NAME_OF_KIND[kindOf(described)];
}

export function showPasskey(row: PasskeyRow): Passkey {
  return {
    id: row.id,
    credentialId: row.credentialId.toString("base64url"),
    name: row.name,
    named: row.name !== usualName(row),
    kind: kindOf(row),
    backedUp: row.backedUp,
    createdAt: row.createdAt.toISOString(),
    lastUsedAt: row.lastUsedAt?.toISOString() ?? null,
  };
}
