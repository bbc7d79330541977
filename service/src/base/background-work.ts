/** Work that goes on beside the requests. */
export interface Background {
  /** Stops it, and waits for what is under way. */
  close(): Promise<void>;
}
