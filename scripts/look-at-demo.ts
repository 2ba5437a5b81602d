/**
 * Builds every disk of the demo bench once and looks at it, so that the page can show them at once and build them
 * while they are looked at. What is found is kept with the recipe it was found for.
 */
import { surveyDisk } from '@/core/inspect';
import { buildPracticeDisk, parseRecipe } from '@/core/practice';
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

const looked = [];
for (const name of readdirSync('demo').filter((file) => file.endsWith('.json'))) {
  const recipe = parseRecipe(JSON.parse(readFileSync(join('demo', name), 'utf8')));
  looked.push({ recipe, survey: await surveyDisk(await buildPracticeDisk(recipe), recipe.name) });
}
writeFileSync(join('.next', 'demo-looked-at.json'), JSON.stringify(looked));
