import { rounds } from '@/core/fixtures/rounds';
import { surveyDisk } from '@/core/inspect';
import { parseTarget, resolveTarget } from '@/core/job';
import { record, removeVolume, setLetter } from '@/core/layout';
import { MemoryJournal, startRun } from '@/core/run';
import { buildStick, NOW, planFor, SPLIT } from '@/core/run/fixtures/sticks';
import { parseRecipe } from '@/core/practice';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { afterRewind, afterRun, beginJob, fitsDisk, parseJob, reachedPlan } from './job';

const recipe = parseRecipe({
  version: 1,
  id: 'job',
  name: 'Job',
  medium: 'usb',
  size: '48 MiB',
  table: 'mbr',
  volumes: [{ fileSystem: 'fat16', label: 'STICK', letter: 'E' }],
});

describe('a job', () => {
  it('begins with the disk as it is and the letters its machine gave', async () => {
    const job = beginJob(await surveyDisk(await buildStick()), recipe);
    expect(job.now.volumes[0]).toMatchObject({ letter: 'E', label: 'STICK' });
    expect(job.history.present).toEqual(job.now);
  });

  it('fits the disk it was made for and no other', async () => {
    const survey = await surveyDisk(await buildStick());
    const job = beginJob(survey);
    expect(fitsDisk(structuredClone(job), survey)).toBe(true);
    expect(fitsDisk(job, await surveyDisk(await buildStick({ size: '50 MiB' })))).toBe(false);
  });

  it('is read back as it was stored, and anything else is not taken for one', async () => {
    const disk = await buildStick();
    const { plan, survey } = await planFor(disk, SPLIT);
    let job = beginJob(survey, recipe);
    const lettered = setLetter(job.now, job.now.volumes[0]!.id, 'K');
    if (lettered.ok) job = { ...job, history: record(job.history, lettered.layout, lettered.name, 'drag') };
    expect(parseJob(structuredClone(job))).toEqual(job);
    await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW });
    const done = { ...afterRun(job, await surveyDisk(disk)), wishes: { paced: true } };
    expect(parseJob(JSON.parse(JSON.stringify(done)))).toEqual(JSON.parse(JSON.stringify(done)));
    expect(parseJob(undefined)).toBeUndefined();
    expect(parseJob({ ...job, version: 1 })).toBeUndefined();
    fc.assert(
      fc.property(fc.anything(), fc.constantFrom('now', 'history', 'before', 'wishes', 'version'), (value, key) => {
        expect(() => parseJob({ ...job, [key]: value })).not.toThrow();
        expect(parseJob(value)).toBeUndefined();
      }),
      { numRuns: rounds(300, 3000) },
    );
  });

  it('knows when the disk has become what it planned', async () => {
    const disk = await buildStick();
    const { plan, survey } = await planFor(disk, SPLIT);
    const job = beginJob(survey);
    const { layout } = resolveTarget(survey, parseTarget(SPLIT));
    const drawn = { ...job, history: record(job.history, layout, 'split') };
    expect(reachedPlan(drawn, survey)).toBe(false);
    await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW });
    expect(reachedPlan(drawn, await surveyDisk(disk))).toBe(true);
  });

  it('takes letters and roles over a run, and goes back with a rewind', async () => {
    const disk = await buildStick();
    const { plan, survey } = await planFor(disk, SPLIT);
    let job = beginJob(survey, recipe);
    const lettered = setLetter(job.now, job.now.volumes[0]!.id, 'K');
    if (lettered.ok) job = { ...job, history: record(job.history, lettered.layout, lettered.name) };
    await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW });
    const done = afterRun(job, await surveyDisk(disk));
    expect(done.now.volumes.map((v) => v.letter)).toEqual(['K', undefined]);
    expect(done.history.past).toEqual([]);
    expect(done.before).toEqual(job.now);
    const back = afterRewind(done, survey, recipe);
    expect(back.now).toEqual(job.now);
  });

  it('keeps its plan apart from what is', async () => {
    const job = beginJob(await surveyDisk(await buildStick()));
    const removed = removeVolume(job.history.present, job.now.volumes[0]!.id);
    expect(removed.ok && removed.layout.volumes).toEqual([]);
    expect(job.now.volumes).toHaveLength(1);
  });
});
