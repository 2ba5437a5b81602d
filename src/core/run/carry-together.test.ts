/** Pieces of a move that are references and become durable together: whichever commit fails, what comes after is the same. */
import { OverlayDevice, type OverlayChange } from '@/core/device';
import { MemoryOverlayStore } from '@/core/device/fixtures/memory-overlay-store';
import { boundsOf, copySourcesOf, layoutOf, surveyDisk } from '@/core/inspect';
import { copyVolume, gapsOf, type Layout } from '@/core/layout';
import { derivePlan, wayOf, type Plan } from '@/core/plan';
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

/** What is on a disk, by what it is made of and by bytes where it is not known. */
function contentOf(device: OverlayDevice): unknown[] {
  return [...device.occupied()].map(({ start, end }) => [start, end, device.sources(start, end - start)]);
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
    expect(contentOf(again), `commit ${cut}`).toEqual(contentOf(disk));
  }
});

it.each([
  ['exchange places by way of another one', true],
  ['are copied to another one', false],
])('two volumes of a disk %s, a few barriers for all of it, and are whole whichever commit fails', async (_, turn) => {
  const some = [{ ...fill[0]!, count: 12 }];
  const volumes = ['exfat', 'ntfs'].map((fileSystem, i) => ({ size: '2 GiB', fileSystem, label: `V${i}`, fill: some }));
  const full = { ...recipe, size: '4098 MiB', volumes };
  const base = await buildPracticeDisk(parseRecipe(full));
  const blank = await buildPracticeDisk(parseRecipe({ ...recipe, id: 'blank', volumes: [], size: '5 GiB' }));
  const [survey, empty] = [await surveyDisk(base), await surveyDisk(blank)];
  const planOf = (): Plan => {
    const now = layoutOf(survey);
    const [a, b] = now.volumes;
    if (!turn) {
      const sources = copySourcesOf(survey, 'other', 'Far');
      const layout = sources.reduce<Layout>((last, source) => {
        const edited = copyVolume(last, boundsOf(empty), gapsOf(last).at(-1)!, source, {});
        if (!edited.ok) throw new Error(edited.reason);
        return edited.layout;
      }, layoutOf(empty));
      return derivePlan(empty, layout, { disks: [{ disk: 'other', name: 'Far', survey }] });
    }
    const turned = {
      ...now,
      volumes: [
        { ...b!, start: a!.start },
        { ...a!, start: a!.start + b!.length },
      ],
    };
    const scratch = [{ disk: 'other', name: 'Blank', start: GIB, length: 3 * GIB, sectorSize: 512 }];
    return derivePlan(survey, turned, { scratch });
  };
  const plan = planOf();
  expect(plan.steps.filter((s) => s.kind === 'carry').map(wayOf)).toEqual(
    turn ? ['away', 'move', 'back'] : ['copy', 'copy'],
  );

  /** Both disks, whose commits are counted together. */
  const benchOf = async (cut: number, before: readonly MemoryOverlayStore[] = []) => {
    const count = { commits: 0 };
    const stores = [0, 1].map((i) => {
      const store = new (class extends MemoryOverlayStore {
        override commit(change: OverlayChange): Promise<void> {
          count.commits += 1;
          if (count.commits > cut) throw new Error('the power went');
          return super.commit(change);
        }
      })();
      for (const [index, page] of before[i]?.pages ?? []) store.pages.set(index, page);
      store.kept = [...(before[i]?.kept ?? [])];
      return store;
    });
    const [own, other] = turn ? [base, blank] : [blank, base];
    const disk = await OverlayDevice.open(own, stores[0]);
    return { count, stores, disk, other: await OverlayDevice.open(other, stores[1]) };
  };
  const portsOf = ({ disk, other }: { disk: OverlayDevice; other: OverlayDevice }, journal: MemoryJournal) => {
    return { disk, others: new Map([['other', other]]), journal, now: NOW };
  };
  const whole = await benchOf(Infinity);
  expect((await startRun(plan, portsOf(whole, new MemoryJournal()))).proven).toBe(true);
  // 2 GiB in pieces of 128 MiB are sixteen of them, for each volume and each way.
  expect(whole.count.commits).toBeLessThan(turn ? 24 : 12);
  for (let cut = 0; cut < whole.count.commits; cut++) {
    const journal = new MemoryJournal();
    const flaky = await benchOf(cut);
    await expect(startRun(plan, portsOf(flaky, journal))).rejects.toThrow('the power went');
    journal.lose(0);
    const again = await benchOf(Infinity, flaky.stores);
    const ports = portsOf(again, journal);
    const certificate = await ((await readRunState(journal)) ? resumeRun(ports) : startRun(plan, ports));
    expect(certificate.proven, `commit ${cut}`).toBe(true);
    expect(contentOf(again.disk), `commit ${cut}`).toEqual(contentOf(whole.disk));
    expect(contentOf(again.other), `commit ${cut}`).toEqual(contentOf(whole.other));
  }
});
