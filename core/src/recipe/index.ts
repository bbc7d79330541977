/** How old systems made their password digests: a small language for it, read, judged and computed. */
export type { RecipeValue } from "./expression.ts";
export { MAX_RECIPE_LENGTH, RECIPE_VALUES, RecipeError } from "./expression.ts";
export type { Recipe, RecipeInput } from "./recipe.ts";
export { digestOfHexLength } from "./functions.ts";
export { digestByRecipe, matchesRecipe, readRecipe, runRecipe } from "./recipe.ts";
export { recipeOfScheme } from "./of-record.ts";
export { bytesOf as bytesOfRecipeValue } from "./functions.ts";
export type { TaggedDigest } from "./tagged.ts";
export { fromTaggedDigest, untaggedCrypt } from "./tagged.ts";
