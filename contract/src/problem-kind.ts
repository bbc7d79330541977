/** What the catalogue says of a problem. */
export interface ProblemKind {
  readonly status: number;
  readonly title: string;
  readonly meaning: string;
  readonly remedy: string;
}
