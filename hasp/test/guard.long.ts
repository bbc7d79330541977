/** The guard before ten thousand spellings (HA-1). */
process.env["SPELLINGS"] = "10000";
await import("./guard.test.ts");
