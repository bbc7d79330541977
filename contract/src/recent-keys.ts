/** Access keys made in this many days before a change of password end with it, unless they are kept by hand. */
export const RECENT_KEY_DAYS = 7;
