/** totp code: an authenticator for people without a phone, and for trying things out. */
import { routes } from "@lucchetto/contract";
import type { KeyUri } from "@lucchetto/core";
import {
  Base32Error,
  KeyUriError,
  MIN_SECRET_BYTES,
  readBase32,
  readKeyUri,
  totp,
  totpSecondsLeft,
  USUAL_TOTP,
} from "@lucchetto/core";
import type { Command } from "commander";
import { askPassword, takeLine } from "../ask.ts";
import { connect } from "../connection.ts";
import { Failure } from "../failure.ts";
import { dim, print, printJson } from "../output.ts";
import { terminal } from "../terminal.ts";
import { defineTotpImport } from "./totp-import.ts";

interface Options {
  readonly secretStdin?: boolean;
  readonly json?: boolean;
}

export function defineTotp(totpNoun: Command): void {
  defineTotpImport(totpNoun);
  totpNoun
    .command("code")
    .description(
      "print the current code for a secret, which is asked for without echo; follows the service's moved clock",
    )
    .option("--secret-stdin", "read the key URI (otpauth://…) or the base32 secret from standard input")
    .option("--json", "as JSON")
    .addHelpText(
      "after",
      "\nExample:\n  lucchetto totp code\n  lucchetto totp code --secret-stdin < secret.txt",
    )
    .action(async (options: Options, command: Command) => {
      const typed =
        options.secretStdin === true ? await takeLine() : await askPassword({}, "Key URI or secret");
      const { secret, settings, issuer, account } = readSecret(typed);
      const { now, movedBy } = await clockOf(command);
      const code = totp(secret, now, settings);
      const secondsLeft = totpSecondsLeft(now, settings);
      if (options.json === true)
        return printJson({ code, secondsLeft, period: settings.period, issuer, account });
      print(code);
      const whose = [account, issuer].filter((part) => part !== "").join(" at ");
      const moved = movedBy === 0 ? "" : ", by the service's moved clock";
      terminal().stderr.write(`${dim(`${whose === "" ? "" : `${whose}, `}${secondsLeft} s left${moved}`)}\n`);
    });
}

function readSecret(typed: string): KeyUri {
  try {
    if (/^otpauth:/i.test(typed.trim())) return readKeyUri(typed);
    const secret = readBase32(typed);
    if (secret.length < MIN_SECRET_BYTES)
      throw new KeyUriError(`a secret has at least ${MIN_SECRET_BYTES * 8} bits`);
    return { secret, settings: USUAL_TOTP, issuer: "", account: "" };
  } catch (error) {
    if (!(error instanceof Base32Error || error instanceof KeyUriError)) throw error;
    throw new Failure(
      `This is not an authenticator app's secret: ${error.message}. Give the otpauth:// address, or the base32 text shown on the page.`,
      2,
    );
  }
}

/** The service's clock where it may be moved; else, or where no service answers, the machine's. */
async function clockOf(command: Command): Promise<{ now: Date; movedBy: number }> {
  const movedBy = await connect(command)
    .client(routes.showClock)
    .then(
      ({ body }) => body.movedBy,
      () => 0,
    );
  return { now: new Date(Date.now() + movedBy), movedBy };
}
