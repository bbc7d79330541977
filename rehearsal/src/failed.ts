/** How a step ends that does not pass. */

/** It did not go as expected. The message says what came instead. */
export class StepFailed extends Error {
  override readonly name = "StepFailed";
}

/** It could not be tried. The message says why. */
export class StepLeftOut extends Error {
  override readonly name = "StepLeftOut";
}
