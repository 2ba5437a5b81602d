/** Runs in the browser are taken back one by one, on every disk that they wrote, and what that needs can be dropped. */
import { rounds } from '@/core/fixtures/rounds';
import 'fake-indexeddb/auto';
import { layoutOf } from '@/core/inspect';
import { parseTarget, resolveTarget, transferWishes, type TargetInput } from '@/core/job';
import { derivePlan, type Plan } from '@/core/plan';
import { parseRecipe } from '@/core/practice';
import { describe, expect, it } from 'vitest';
import { Database } from './database';
import { drain } from './fixtures/drain';
import { FaultyDatabase, STORE_FAULTS } from './fixtures/faulty-database';
import { EngineHost } from './host';

const fill = [{ folder: 'f', count: 6, name: 'f {n}.bin', smallest: '2 KiB', largest: '40 KiB', fragments: 2 }];
const recipe = (name: string) =>
  parseRecipe({
    ...{ version: 1, id: name, name, medium: 'usb', size: '12 MiB', table: 'gpt' },
    volumes: [{ size: '5 MiB', fileSystem: 'fat12', label: name.toUpperCase(), fill }],
  });

let count = 0;

interface Bench {
  readonly host: EngineHost;
  readonly id: string;
  readonly other: string;
}

const reopened = async ({ id, other }: Pick<Bench, 'id' | 'other'>, db = new Database()): Promise<EngineHost> => {
  const host = new EngineHost(db);
  await host.openPractice(id, recipe('home'));
  await host.openPractice(other, recipe('away'));
  return host;
};

async function bench(): Promise<Bench> {
  const names = { id: `home-${++count}`, other: `away-${count}` };
  return { ...names, host: await reopened(names) };
}

const bytesOf = (host: EngineHost, id: string): Promise<Uint8Array> =>
  drain((port) => host.serveImage(id, 'raw', port));
const ignore = (): void => undefined;

async function planFor(host: EngineHost, id: string, input: TargetInput, other?: string): Promise<Plan> {
  const survey = await host.survey(id);
  const target = parseTarget(input);
  const resolved = resolveTarget(survey, target);
  const wishes = transferWishes(target, resolved, new Set(other === undefined ? [] : [other]));
  const planned = { ...resolved.layout, transfers: wishes };
  const transfers = wishes.length > 0 ? await host.transfers(id, planned) : [];
  const disks = other === undefined ? [] : [{ disk: other, name: 'Away', survey: await host.survey(other) }];
  return derivePlan(survey, planned, { transfers, disks });
}

const sized = (size: string): TargetInput => ({ volumes: [{ keep: 1, size }] });
const taken = (other: string): TargetInput => ({
  volumes: [{ keep: 1, as: 'to' }],
  transfers: [{ from: { disk: other, volume: 1 }, folder: 'f', to: 'to', under: 'from away', then: 'remove' }],
});

/** Runs on the disk in hand, one after the other; its bytes before the first, and after each. */
async function runs({ host, id }: Bench, sizes: readonly string[]): Promise<Uint8Array[]> {
  const states = [await bytesOf(host, id)];
  for (const size of sizes) {
    expect((await host.run(id, await planFor(host, id, sized(size)), {}, ignore)).proven).toBe(true);
    states.push(await bytesOf(host, id));
  }
  return states;
}

const same = async (host: EngineHost, id: string, bytes: Uint8Array): Promise<boolean> =>
  Buffer.compare(await bytesOf(host, id), bytes) === 0;

describe('runs on a disk in the browser', () => {
  it('are taken back one by one, the newest first, also after the page was loaded anew', async () => {
    const { host, id, other } = await bench();
    const states = await runs({ host, id, other }, ['7 MiB', '4 MiB', '6 MiB']);
    const ways = await host.waysBack(id);
    expect(ways.map((w) => [w.on, w.steps > 0, w.bytes > 0])).toEqual(Array(3).fill([id, true, true]));
    let now = host;
    for (let n = 2; n >= 0; n--) {
      if (n === 1) now = await reopened({ id, other });
      expect((await now.rewind(id)).volumes).toHaveLength(1);
      expect(await same(now, id, states[n]!), `after ${n}`).toBe(true);
      expect(await now.waysBack(id)).toHaveLength(n);
    }
    expect(await new Database().overlayPages.where('diskId').startsWith(id).count()).toBe(0);
  });

  it('can no more be taken back once that was dropped, and newer ones still can', async () => {
    for (let round = 0; round < rounds(2, 12); round++) {
      const { host, id, other } = await bench();
      const states = await runs({ host, id, other }, ['7 MiB', '4 MiB', '6 MiB']);
      const ways = await host.waysBack(id);
      const dropped = round % 3;
      await host.dropWaysBack(id, ways[dropped]!.run);
      const now = round % 2 === 0 ? await reopened({ id, other }) : host;
      expect(await same(now, id, states[3]!)).toBe(true);
      expect((await now.waysBack(id)).map((w) => w.run)).toEqual(ways.slice(0, dropped).map((w) => w.run));
      for (let n = 0; n < dropped; n++) {
        await now.rewind(id);
        expect(await same(now, id, states[2 - n]!)).toBe(true);
      }
      await expect(now.rewind(id)).rejects.toMatchObject({ code: 'run.nothing-to-rewind' });
      expect(await same(now, id, states[3 - dropped]!)).toBe(true);
    }
  });

  it('are dropped whole or not at all, wherever a write to the store fails', async () => {
    for (const fault of STORE_FAULTS)
      for (let n = 0; n < rounds(4, 12); n++) {
        const { host, id, other } = await bench();
        const states = await runs({ host, id, other }, ['7 MiB', '4 MiB']);
        const [newest, oldest] = await host.waysBack(id);
        const failing = await reopened({ id, other }, new FaultyDatabase(fault, n));
        await failing.dropWaysBack(id, oldest!.run).catch(ignore);
        const again = await reopened({ id, other });
        expect(await same(again, id, states[2]!), `${fault} ${n}`).toBe(true);
        const left = (await again.waysBack(id)).map((w) => w.run);
        expect([[newest!.run], [newest!.run, oldest!.run]]).toContainEqual(left);
        await again.rewind(id);
        expect(await same(again, id, states[1]!), `${fault} ${n}`).toBe(true);
      }
  });
});

describe('a run that took files from another disk of the bench', () => {
  async function both() {
    const made = await bench();
    const { host, id, other } = made;
    const before = [await bytesOf(host, id), await bytesOf(host, other)] as const;
    const plan = await planFor(host, id, taken(other), other);
    expect((await host.run(id, plan, {}, ignore)).proven).toBe(true);
    expect((await host.folder(id, 1, 'from away')).length).toBe(6);
    expect(await host.folder(other, 1, '')).toEqual([]);
    return { ...made, before };
  }

  it('is taken back on both at once, from the disk it was on', async () => {
    const { host, id, other, before } = await both();
    await expect(host.rewind(other)).rejects.toMatchObject({ code: 'run.holds' });
    const again = await reopened({ id, other });
    await again.rewind(id);
    expect([await same(again, id, before[0]), await same(again, other, before[1])]).toEqual([true, true]);
    expect(await again.folder(other, 1, 'f')).toHaveLength(6);
    expect([await again.waysBack(id), await again.waysBack(other)]).toEqual([[], []]);
  });

  it('is taken back only after later runs on either disk', async () => {
    const { host, id, other, before } = await both();
    await host.run(other, await planFor(host, other, sized('7 MiB')), {}, ignore);
    await expect(host.rewind(id)).rejects.toMatchObject({ code: 'run.holds' });
    await host.rewind(other);
    await host.rewind(id);
    expect([await same(host, id, before[0]), await same(host, other, before[1])]).toEqual([true, true]);
  });

  it('keeps its disk on the bench as long as its files are nowhere else', async () => {
    const { host, id, other } = await both();
    await expect(host.forget(id)).rejects.toMatchObject({ code: 'run.holds' });
    await host.dropWaysBack(other, (await host.waysBack(other))[0]!.run);
    expect([await host.waysBack(id), await host.waysBack(other)]).toEqual([[], []]);
    for (const disk of [id, other])
      await expect(host.rewind(disk)).rejects.toMatchObject({ code: 'run.nothing-to-rewind' });
    await host.forget(id);
  });

  it('is on both disks or on neither, wherever a write to the store fails as it is taken back', async () => {
    for (const fault of STORE_FAULTS)
      for (let n = 0; n < rounds(3, 10); n++) {
        const { id, other, before } = await both();
        const failing = await reopened({ id, other }, new FaultyDatabase(fault, n));
        await failing.rewind(id).catch(ignore);
        const again = await reopened({ id, other });
        const back = [await same(again, id, before[0]), await same(again, other, before[1])];
        expect([
          [true, true],
          [false, false],
        ]).toContainEqual(back);
        if (!back[0]) await again.rewind(id);
        expect([await same(again, id, before[0]), await same(again, other, before[1])]).toEqual([true, true]);
      }
  });
});

it('a run that was cut off before its first write is dropped also where nothing can be taken back any more', async () => {
  const { host, id, other } = await bench();
  const states = await runs({ host, id, other }, ['7 MiB']);
  await host.dropWaysBack(id, (await host.waysBack(id))[0]!.run);
  const plan = await planFor(host, id, sized('4 MiB'));
  let unwritten = 0;
  for (let n = 0; n < 4; n++) {
    const failing = await reopened({ id, other }, new FaultyDatabase('cut', n));
    await failing.run(id, plan, {}, ignore).catch(ignore);
    const again = await reopened({ id, other });
    const status = await again.runStatus(id);
    if (!status || status.certificate) continue;
    unwritten += 1;
    await again.rewind(id);
    expect(await again.runStatus(id)).toBeUndefined();
    expect(await same(again, id, states[1]!)).toBe(true);
  }
  expect(unwritten).toBeGreaterThan(0);
});

it('a run that was cut off before its first write is dropped, and the one before it stays', async () => {
  const { host, id, other } = await bench();
  const states = await runs({ host, id, other }, ['7 MiB']);
  const plan = await planFor(host, id, sized('4 MiB'));
  // The layer of the run is the first thing that is kept after its journal.
  for (let n = 0; n < 4; n++) {
    const failing = await reopened({ id, other }, new FaultyDatabase('cut', n));
    await failing.run(id, plan, {}, ignore).catch(ignore);
    const again = await reopened({ id, other });
    if (!(await again.runStatus(id)) || (await again.runStatus(id))!.certificate) continue;
    await again.rewind(id);
    expect(await same(again, id, states[1]!), `write ${n}`).toBe(true);
  }
  const last = await reopened({ id, other });
  expect((await last.survey(id)).volumes.map((v) => v.length)).toEqual([
    layoutOf(await host.survey(id)).volumes[0]!.length,
  ]);
  await last.rewind(id);
  expect(await same(last, id, states[0]!)).toBe(true);
});
