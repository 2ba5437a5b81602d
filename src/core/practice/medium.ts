/** The medium that a recipe describes. */
import type { MediumModel } from '@/core/device';
import { speedOf, type MediumSpeed } from '@/core/plan';
import { readSize } from '@/core/size';
import type { Recipe } from './recipe';

const MB = 1_000_000;
/** A platter's outer tracks are about twice as fast as its inner ones. */
const PLATTER_SLOPE = 1 / 3;

/** How fast it is: what the recipe says, or what such media usually do. */
export function recipeSpeed({ speed, medium }: Recipe): MediumSpeed {
  if (!speed) return speedOf(medium);
  return { read: speed.read * MB, write: speed.write * MB, seek: speed.seek / 1000 };
}

export function mediumOf(recipe: Recipe): MediumModel {
  const stretches = (list: Recipe['weak']): { start: number; end: number }[] =>
    list.map(({ at, sectors }) => {
      const start = Math.floor(readSize(at, { whole: 0 }).bytes / recipe.sectorSize) * recipe.sectorSize;
      return { start, end: start + sectors * recipe.sectorSize };
    });
  const slope = recipe.medium === 'hdd' ? PLATTER_SLOPE : 0;
  return { ...recipeSpeed(recipe), slope, weak: stretches(recipe.weak), dead: stretches(recipe.dead) };
}
