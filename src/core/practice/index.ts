export { recipeFrom } from './describe';
export type { Description } from './describe';
export { buildPracticeDisk, recipeSize } from './build';
export { mediumOf, recipeSpeed } from './medium';
export { seededRandom } from './random';
export { parseRecipe } from './recipe';
export type { Recipe, RecipeInput } from './recipe';
