/** Pieces of a move that are references and become durable together: whichever commit fails, what comes after is the same. */
import { OverlayDevice, type OverlayChange } from '@/core/device';
import { MemoryOverlayStore } from '@/core/device/fixtures/memory-overlay-store';
import { layoutOf, surveyDisk } from '@/core/inspect';
import { derivePlan } from '@/core/plan';
import { buildPracticeDisk, parseRecipe } from '@/core/practice';
import { expect, it } from 'vitest';
import { MemoryJournal, readRunState, resumeRun, startRun } from '.';
import { NOW } from './fixtures/sticks';

const [MIB, GIB] = [2 ** 20, 2 ** 30];
const fill = [{ folder: 'f', count: 40, name: '{nn}.bin', smallest: '20 MiB', largest: '90 MiB', fragments: 3 }];
const recipe = { version: 1, id: 'far', name: 'Far', medium: 'hdd', size: '8 GiB', table: 'gpt' };

/** One whose power goes at a commit, which is then not there. */
class CutStore extends MemoryOverlayStore {
  commits = 0;

  constructor(private readonly cut = Infinity) {
    super();
  }

  override commit(change: OverlayChange): Promise<void> {
    this.commits += 1;
    if (this.commits > this.cut) throw new Error('the power went');
    return super.commit(change);
  }
}

it.each([
  ['towards the end', 600 * MIB],
  ['towards the start', -600 * MIB],
])('a volume that moves %s, over its own place is whole, whichever commit fails', async (_, way) => {
  const volumes = [{ size: '5 GiB', fileSystem: 'ntfs', label: 'FAR', fill }];
  const base = await buildPracticeDisk(parseRecipe({ ...recipe, volumes }));
  const first = await OverlayDevice.open(base);
  const moved = async (device: OverlayDevice, start: number) => {
    const survey = await surveyDisk(device);
    const now = layoutOf(survey);
    return derivePlan(survey, { ...now, volumes: now.volumes.map((v) => ({ ...v, start })) });
  };
  // There, so that it can come back as well.
  if (way < 0) await startRun(await moved(first, GIB), { disk: first, journal: new MemoryJournal(), now: NOW });
  const { volumes: found } = await surveyDisk(first);
  const plan = await moved(first, found[0]!.start + way);
  const whole = new CutStore();
  const disk = await OverlayDevice.open(first, whole);
  expect((await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW })).proven).toBe(true);
  // 5 GiB in pieces of 128 MiB, four for one barrier.
  expect(whole.commits).toBeGreaterThan(5);
  expect(whole.commits).toBeLessThan(20);
  const extents = (device: OverlayDevice) =>
    [...device.occupied()].map((r) => device.sources(r.start, r.end - r.start));
  for (let cut = 0; cut < whole.commits; cut++) {
    const store = new CutStore(cut);
    const journal = new MemoryJournal();
    const flaky = await OverlayDevice.open(first, store);
    await expect(startRun(plan, { disk: flaky, journal, now: NOW })).rejects.toThrow('the power went');
    journal.lose(0);
    const left = new MemoryOverlayStore();
    for (const [index, page] of store.pages) left.pages.set(index, page);
    left.kept = [...store.kept];
    const again = await OverlayDevice.open(first, left);
    const ports = { disk: again, journal, now: NOW };
    const certificate = await ((await readRunState(journal)) ? resumeRun(ports) : startRun(plan, ports));
    expect(certificate.proven, `commit ${cut}`).toBe(true);
    expect(extents(again), `commit ${cut}`).toEqual(extents(disk));
  }
});
