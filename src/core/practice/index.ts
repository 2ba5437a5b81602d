export { buildPracticeDisk, recipeSize } from './build';
export { seededRandom, seedOf } from './random';
export { parseRecipe, recipeSchema } from './recipe';
export type { Recipe, RecipeFill, RecipeInput, RecipeVolume } from './recipe';
