export { descriptionSchema, recipeFrom } from './describe';
export type { Description } from './describe';
export { buildPracticeDisk, recipeSize } from './build';
export { mediumOf, recipeSpeed } from './medium';
export { seededRandom, seedOf } from './random';
export { parseRecipe, recipeSchema } from './recipe';
export type { Recipe, RecipeFill, RecipeInput, RecipeVolume } from './recipe';
