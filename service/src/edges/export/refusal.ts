/** Why nothing is exported, or an export is not taken back, for the person at the keyboard. */
export class ExportRefusal extends Error {
  override readonly name = "ExportRefusal";
}
