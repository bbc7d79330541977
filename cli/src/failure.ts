/** A failure written for the person at the keyboard. Exit status 1: refused or failed; 2: wrong usage. */
export class Failure extends Error {
  override readonly name = "Failure";
  readonly exitStatus: 1 | 2;
  constructor(message: string, exitStatus: 1 | 2 = 1) {
    super(message);
    this.exitStatus = exitStatus;
  }
}
