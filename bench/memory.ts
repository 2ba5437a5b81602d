/** That memory does not grow with the disk. */
import { surveyDisk } from '@/core/inspect';
import { derivePlan } from '@/core/plan';
import { buildPracticeDisk, parseRecipe } from '@/core/practice';
import { MemoryJournal, startRun } from '@/core/run';
import { readFileSync } from 'node:fs';
import { halved, MIB, now, recipe } from './common';
import { figure } from './figures';

/** Looks at a practice disk with 384 MiB of files, plans and runs a division. */
export async function benchMemory(): Promise<void> {
  for (const size of ['1 GiB', '32 GiB']) {
    const disk = await buildPracticeDisk(parseRecipe(JSON.parse(readFileSync(recipe(size, 192, 192), 'utf8'))));
    globalThis.gc?.();
    const before = process.memoryUsage();
    const survey = await surveyDisk(disk);
    const plan = derivePlan(survey, halved(survey, Math.floor(survey.volumes[0]!.length / 2 / MIB) * MIB));
    await startRun(plan, { disk, journal: new MemoryJournal(), now });
    const after = process.memoryUsage();
    figure({
      area: 'Memory',
      what: `more in use after a practice disk of ${size} was looked at, planned and run`,
      value: (after.heapUsed + after.external - before.heapUsed - before.external) / MIB,
      unit: 'MiB',
      better: 'less',
      beside: `${(after.rss / MIB).toFixed(0)} MiB resident`,
    });
  }
}
