/** The authentication methods of a sign-in (RFC 8176), as `amr` has them. */

/** A password was shown. */
export const PASSWORD = "pwd";

/** Ours, RFC 8176 registers none: a mailed link or code was shown. */
export const MAILED = "mail";

/** Ours, RFC 8176 registers none. */
export const RECOVERY_CODE = "recovery-code";

/** More than one proof was shown. */
export const MORE_THAN_ONE = "mfa";

/** A code of an authenticator app was shown: RFC 8176, one-time password. */
export const ONE_TIME_PASSWORD = "otp";
