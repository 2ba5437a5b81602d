import 'fake-indexeddb/auto';
import { MemoryDevice, OverlayDevice } from '@/core/device';
import { deviceCompliance } from '@/core/device/fixtures/compliance';
import { layoutOf } from '@/core/inspect';
import { asVolumeId, newVolumeAt, type Layout } from './fixtures/layouts';
import { derivePlan, scratchOn, type Plan } from '@/core/plan';
import { parseRecipe, type Recipe } from '@/core/practice';
import type { RunProgress } from '@/core/run';
import { beforeEach, describe, expect, it } from 'vitest';
import { Database } from './database';
import { drain } from './fixtures/drain';
import { EngineHost } from './host';
import type { Locks } from './bench-lock';
import { DexieJournal, DexieOverlayStore } from './stores';

const MIB = 1024 * 1024;
const RECIPE: Recipe = parseRecipe({
  version: 1,
  id: 'host-test',
  name: 'Host test',
  medium: 'usb',
  size: '40 MiB',
  table: 'mbr',
  volumes: [
    {
      fileSystem: 'fat16',
      label: 'HOST',
      fill: [
        { file: 'top.txt', text: 'at the top' },
        { folder: 'a/b', count: 12, name: 'f{nn}.bin', smallest: '2 KiB', largest: '60 KiB', near: 0.8, fragments: 3 },
        { folder: 'a/c', count: 3, name: 'g{n}.bin', smallest: '100 KiB', largest: '200 KiB' },
      ],
    },
  ],
});

/** Every test has disks of its own in one database. */
let id = '';
let count = 0;
beforeEach(() => {
  count += 1;
  id = `disk-${count}`;
});

async function opened(): Promise<{ host: EngineHost; plan: Plan }> {
  const host = new EngineHost();
  const survey = await host.openPractice(id, RECIPE);
  const now = layoutOf(survey);
  const [kept] = now.volumes;
  const planned: Layout = {
    ...now,
    volumes: [
      { ...kept!, length: 20 * MIB },
      { ...newVolumeAt(21 * MIB, 18 * MIB), id: asVolumeId('new-1') },
    ],
  };
  return { host, plan: derivePlan(survey, planned) };
}

describe('the engine', () => {
  it('opens a practice disk and lists its folders, largest first', async () => {
    const { host } = await opened();
    const top = await host.folder(id, 1, '');
    expect(top.map((i) => [i.name, i.kind, i.totalFiles])).toEqual([
      ['a', 'folder', 15],
      ['top.txt', 'file', 1],
    ]);
    const inner = await host.folder(id, 1, 'a');
    expect(inner.map((i) => i.name).sort()).toEqual(['b', 'c']);
    expect(inner[0]!.totalBytes).toBeGreaterThanOrEqual(inner[1]!.totalBytes);
    expect(await host.folder(id, 1, 'a/nothing')).toEqual([]);
  });

  it('previews and serves a file', async () => {
    const { host } = await opened();
    const {
      name: _n,
      totalBytes: _b,
      totalFiles: _f,
      ...entry
    } = (await host.folder(id, 1, '')).find((i) => i.name === 'top.txt')!;
    expect(new TextDecoder().decode(await host.preview(id, 1, entry, 6))).toBe('at the');
    expect(new TextDecoder().decode(await drain((port) => host.serveFile(id, 1, entry, port)))).toBe('at the top');
  });

  it('says what lies past an end', async () => {
    const { host } = await opened();
    const beyond = await host.beyond(id, 1, 20 * MIB);
    expect(beyond.bytes).toBeGreaterThan(0);
    expect(beyond.items[0]!.path).toMatch(/^a\//);
  });

  it('runs, tells its progress in order, survives being opened anew, and rewinds', async () => {
    const { host, plan } = await opened();
    const before = await drain((port) => host.serveImage(id, 'raw', port));
    const seen: RunProgress[] = [];
    const certificate = await host.run(id, plan, {}, (progress) => seen.push(progress));
    expect(certificate).toMatchObject({ proven: true, volumes: [{ files: 16, differing: 0 }] });
    expect(seen.filter((p) => p.state === 'done').map((p) => p.step)).toEqual(plan.steps.map((_, i) => i));
    expect((await host.survey(id)).volumes).toHaveLength(2);
    const after = await drain((port) => host.serveImage(id, 'raw', port));
    expect(Buffer.compare(before, after)).not.toBe(0);

    const again = new EngineHost();
    expect((await again.openPractice(id, RECIPE)).volumes.map((v) => v.info?.label)).toEqual(['HOST', 'NEW']);
    expect(await again.runStatus(id)).toMatchObject({ certificate: { proven: true } });
    expect(Buffer.compare(await drain((port) => again.serveImage(id, 'raw', port)), after)).toBe(0);
    expect((await again.rewind(id)).volumes).toHaveLength(1);
    expect(Buffer.compare(await drain((port) => again.serveImage(id, 'raw', port)), before)).toBe(0);
    expect(await again.runStatus(id)).toBeUndefined();
  });

  it('stops when that is asked before it has even begun, and goes on from there', async () => {
    const { host, plan } = await opened();
    const run = host.run(id, plan, {}, () => undefined);
    await host.stop(id);
    await expect(run).rejects.toMatchObject({ code: 'run.stopped' });
    expect(await host.runStatus(id)).toMatchObject({ next: 0 });
    expect((await host.resume(id, () => undefined)).proven).toBe(true);
  });

  it('stops safely and resumes in another worker', async () => {
    const { host, plan } = await opened();
    const stopped = host.run(id, plan, {}, ({ step }) => {
      if (step === 1) void host.stop(id);
    });
    await expect(stopped).rejects.toMatchObject({ code: 'run.stopped' });
    await expect(host.run(id, plan, {}, () => undefined)).rejects.toMatchObject({ code: 'run.unfinished' });
    const again = new EngineHost();
    await again.openPractice(id, RECIPE);
    expect((await again.runStatus(id))?.certificate).toBeUndefined();
    expect((await again.resume(id, () => undefined)).proven).toBe(true);
  });

  it('knows only what is open, and forgets what it is told to', async () => {
    const { host, plan } = await opened();
    await host.run(id, plan, {}, () => undefined);
    await host.forget(id);
    await expect(host.survey(id)).rejects.toMatchObject({ code: 'storage.lost' });
    expect(await host.runStatus(id)).toBeUndefined();
    expect((await host.openPractice(id, RECIPE)).volumes).toHaveLength(1);
  });

  it('opens an image file, and refuses another one in its place', async () => {
    const { host } = await opened();
    const bytes = await drain((port) => host.serveImage(id, 'raw', port));
    const file = new File([bytes as Uint8Array<ArrayBuffer>], 'x.img', { lastModified: 5 });
    const { survey, fingerprint } = await host.openImage('image', file);
    expect(survey.volumes[0]!.info?.label).toBe('HOST');
    await host.openImage('image', file, { expected: fingerprint });
    const other = new File([bytes as Uint8Array<ArrayBuffer>], 'x.img', { lastModified: 6 });
    await expect(host.openImage('image', other, { expected: fingerprint })).rejects.toMatchObject({
      code: 'image.changed',
    });
    await expect(host.openImage('text', new File(['words '.repeat(200)], 'a.txt'))).rejects.toMatchObject({
      code: 'image.not-a-disk',
    });
  });
});

/** A lock manager for tabs of one test: one lock at a time, those that wait in order, as long as they do. */
function tabs(): { locks: Locks; close: () => void } {
  let held = false;
  const waiting: (() => void)[] = [];
  const request = async (_name: string, options: unknown, callback?: () => unknown): Promise<unknown> => {
    const act = (callback ?? options) as () => unknown;
    const signal = callback && (options as { signal: AbortSignal }).signal;
    if (held)
      await new Promise<void>((resolve, reject) => {
        waiting.push(resolve);
        signal?.addEventListener('abort', () => {
          waiting.splice(waiting.indexOf(resolve), 1);
          reject(signal.reason as Error);
        });
      });
    held = true;
    return act();
  };
  const close = (): void => {
    held = false;
    waiting.shift()?.();
  };
  return { locks: { request } as unknown as Locks, close };
}

describe('tabs', () => {
  it('of which one holds the bench change nothing but in that one, whatever is asked of the others', async () => {
    const { locks, close } = tabs();
    const [one, two, three] = [1, 2, 3].map(() => new EngineHost(new Database(), locks));
    expect(await Promise.all([one!.hold(), two!.hold(), three!.hold()])).toEqual([true, false, false]);
    const survey = await one!.openPractice(id, RECIPE);
    for (const shows of [two!, three!]) await shows.openPractice(id, RECIPE);
    const planned = { ...layoutOf(survey), volumes: layoutOf(survey).volumes.map((v) => ({ ...v, length: 20 * MIB })) };
    const plan = derivePlan(survey, planned);
    const held = { code: 'bench.held' };
    const asked: Promise<unknown>[] = [];
    const running = one!.run(id, plan, {}, ({ state }) => {
      if (state !== 'working') return;
      for (const other of [two!, three!])
        for (const act of [
          () => other.forget(id),
          () => other.rewind(id),
          () => other.run(id, plan, {}, () => undefined),
          () => other.resume(id, () => undefined),
        ])
          asked.push(expect(act()).rejects.toMatchObject(held));
    });
    expect((await running).proven).toBe(true);
    await Promise.all(asked);
    expect(asked.length).toBeGreaterThan(7);
    expect(await one!.runStatus(id)).toMatchObject({ certificate: { proven: true } });
    // Whoever waits is told when the bench is free, and may take it then.
    const free = two!.whenFree();
    close();
    await free;
  });

  it('that hold the bench do nothing to a disk, or to one that lends it room, while a run on it goes on', async () => {
    const { host, plan } = await opened();
    const outcomes: Promise<unknown>[] = [];
    let told = false;
    const going = { code: 'run.going-on' };
    const running = host.run(id, plan, {}, () => {
      if (told) return;
      told = true;
      const { port1 } = new MessageChannel();
      for (const act of [
        () => host.forget(id),
        () => host.rewind(id),
        () => host.run(id, plan, {}, () => undefined),
        () => host.resume(id, () => undefined),
        () => host.openImage(id, new File(['x'], 'x')),
        () => host.serveImage(id, 'raw', port1),
        () => host.folder(id, 1, ''),
      ])
        outcomes.push(expect(act()).rejects.toMatchObject(going));
      port1.close();
    });
    expect((await running).proven).toBe(true);
    await Promise.all(outcomes);
    expect(outcomes).toHaveLength(7);
  });
});

describe('an image on its way out', () => {
  it('is not written into the file that an open image is read from, by whatever name', async () => {
    const { host } = await opened();
    const bytes = (await drain((port) => host.serveImage(id, 'raw', port))) as Uint8Array<ArrayBuffer>;
    const file = new File([bytes], 'mine.img', { lastModified: 5 });
    await host.openImage(`${id}-image`, file);
    let written = 0;
    /** @param spoils has a byte of what is written arrive as another */
    const handle = (of: File, spoils = false): FileSystemFileHandle => {
      let now = of;
      let buffer = new Uint8Array();
      return {
        name: of.name,
        getFile: async () => now,
        createWritable: async () => ({
          truncate: async (size: number) => void (buffer = new Uint8Array(size)),
          write: async ({ position, data }: { position: number; data: Uint8Array }) => {
            written += 1;
            buffer.set(data, position);
          },
          close: async () => {
            if (spoils) buffer[70_000] = buffer[70_000]! ^ 4;
            now = new File([buffer], of.name);
          },
          abort: async () => undefined,
        }),
      } as unknown as FileSystemFileHandle;
    };
    const renamed = new File([bytes], 'other name.img', { lastModified: 9 });
    for (const target of [file, renamed])
      await expect(host.exportTo(`${id}-image`, handle(target), () => undefined)).rejects.toMatchObject({
        code: 'file.same',
      });
    expect(written).toBe(0);
    const other = (spoils = false) => handle(new File(['something else'], 'new.img'), spoils);
    const told: number[] = [];
    const fresh = other();
    await host.exportTo(`${id}-image`, fresh, (done, total) => told.push(done / total));
    expect(written).toBeGreaterThan(0);
    expect(told.at(-1)).toBe(1);
    expect(Buffer.compare(new Uint8Array(await (await fresh.getFile()).arrayBuffer()), bytes)).toBe(0);
    await expect(host.exportTo(`${id}-image`, other(true), () => undefined)).rejects.toMatchObject({
      code: 'image.not-as-saved',
    });
  });
});

describe('storage', () => {
  it('is counted by disk', async () => {
    const { host, plan } = await opened();
    await host.run(id, plan, {}, () => undefined);
    const { disks } = await host.storage();
    expect(disks.find((d) => d.id === id)!.bytes).toBeGreaterThan(64 * 1024);
  });

  it('that was emptied in the middle of a run is said to be lost, and nothing is called proven', async () => {
    const { host, plan } = await opened();
    const proving = plan.steps.findIndex((s) => s.kind === 'prove');
    const db = new Database();
    let emptied: Promise<unknown> | undefined;
    const run = host.run(id, plan, {}, ({ step }) => {
      if (step === proving) emptied ??= db.journal.where('diskId').equals(id).delete();
    });
    const outcome = await run.catch((error: unknown) => error);
    await emptied;
    expect(outcome).toMatchObject({ code: expect.stringMatching(/storage.lost|journal/) as string });
  });
});

describe('the browser’s stores', () => {
  let n = 0;
  deviceCompliance('an overlay in Dexie', async (size) => {
    n += 1;
    return OverlayDevice.open(
      new MemoryDevice(new Uint8Array(size)),
      new DexieOverlayStore(new Database(), `compliance-${n}`),
    );
  });

  it('keep an overlay apart from another disk’s, and through compacting', async () => {
    const db = new Database();
    const base = new MemoryDevice(new Uint8Array(MIB));
    const one = await OverlayDevice.open(base, new DexieOverlayStore(db, 'one'));
    const two = await OverlayDevice.open(base, new DexieOverlayStore(db, 'two'));
    await one.write(10, Uint8Array.of(1, 2, 3));
    await two.write(10, Uint8Array.of(9));
    await one.flush();
    await two.flush();
    const store = new DexieOverlayStore(db, 'one');
    await store.compact([{ start: 10, end: 13, origin: -1, at: 10 }]);
    expect([...(await (await OverlayDevice.open(base, store)).bytes(9, 5))]).toEqual([0, 1, 2, 3, 0]);
    await store.clear();
    expect([...(await (await OverlayDevice.open(base, new DexieOverlayStore(db, 'two'))).bytes(9, 3))]).toEqual([
      0, 9, 0,
    ]);
  });

  it('keep a journal in order, and lose what was not flushed', async () => {
    const db = new Database();
    const journal = new DexieJournal(db, 'j');
    await journal.append({ kind: 'done', step: 0 }, Uint8Array.of(7));
    await journal.flush();
    await journal.append({ kind: 'done', step: 1 });
    const steps = async (j: DexieJournal): Promise<number[]> => {
      const out: number[] = [];
      for await (const { record } of j.entries()) out.push((record as { step: number }).step);
      return out;
    };
    expect(await steps(journal)).toEqual([0, 1]);
    expect(await steps(new DexieJournal(db, 'j'))).toEqual([0]);
    await journal.clear();
    expect(await steps(journal)).toEqual([]);
  });
});

describe('disks that wait for their turn', () => {
  it('are built one after the other, and whoever asks for one before waits for it', async () => {
    const host = new EngineHost();
    const ids = ['first', 'second', 'third'].map((name) => `${id}-${name}`);
    const opening = ids.map((one) => host.openPractice(one, RECIPE));
    const folder = await host.folder(ids[2]!, 1, '');
    expect(folder.map((item) => item.name)).toEqual(['a', 'top.txt']);
    expect((await Promise.all(opening)).map((survey) => survey.volumes[0]!.files)).toEqual([16, 16, 16]);
    await expect(host.survey(`${id}-unknown`)).rejects.toMatchObject({ code: 'storage.lost' });
  });

  it('tell what the files of a volume are like, or of one of its folders', async () => {
    const { host } = await opened();
    const all = await host.facts(id, 1);
    expect(all).toMatchObject({ files: 16, largest: { files: 1 } });
    expect(all.folders.map((f) => f.path).sort()).toEqual(['a', 'a/b', 'a/c']);
    const below = await host.facts(id, 1, 'a/c');
    expect(below.files).toBe(3);
    expect(below.bytes).toBe(all.folders.find((f) => f.path === 'a/c')!.bytes);
  });
});

describe('a run that sets a volume aside on another disk', () => {
  const ring = (name: string): Recipe => {
    const volumes = ['ONE', 'TWO'].map((label) => ({
      size: '10 MiB',
      fileSystem: 'fat12',
      label,
      fill: [{ folder: 'f', count: 4, name: `${label}{n}.bin`, smallest: '9 KiB', largest: '90 KiB' }],
    }));
    return parseRecipe({ version: 1, id: 'ring', name, medium: 'usb', size: '22 MiB', table: 'gpt', volumes });
  };

  async function onTwoDisks(): Promise<{ host: EngineHost; plan: Plan; other: string }> {
    const host = new EngineHost();
    const other = `${id}-other`;
    const survey = await host.openPractice(id, ring('Ring'));
    const spare = await host.openPractice(other, parseRecipe({ ...RECIPE, name: 'Spare', table: 'none', volumes: [] }));
    const now = layoutOf(survey);
    const [one, two] = now.volumes;
    const volumes = [
      { ...two!, start: one!.start },
      { ...one!, start: two!.start },
    ];
    const scratch = scratchOn(spare, other, 'Spare');
    return { host, other, plan: derivePlan(survey, { ...now, volumes }, { scratch }) };
  }

  /** Stops the run when the volume is on the other disk. */
  async function stopHalfWay(host: EngineHost, plan: Plan, other = `${id}-other`): Promise<void> {
    const fetching = plan.steps.findIndex((s) => s.kind === 'carry' && s.from.disk === other);
    const run = host.run(id, plan, {}, ({ step, state }) => {
      if (step === fetching - 1 && state === 'working') void host.stop(id);
    });
    await expect(run).rejects.toMatchObject({ code: 'run.stopped' });
  }

  it('is proven, and leaves nothing there', async () => {
    const { host, plan, other } = await onTwoDisks();
    expect((await host.run(id, plan, {}, () => undefined)).proven).toBe(true);
    expect((await host.survey(id)).volumes.map((v) => v.info?.label)).toEqual(['TWO', 'ONE']);
    const rest = await drain((port) => host.serveImage(other, 'raw', port));
    expect(rest.every((b) => b === 0)).toBe(true);
  });

  it('leaves nothing there when it is stopped half way and rewound', async () => {
    const { host, plan, other } = await onTwoDisks();
    await stopHalfWay(host, plan);
    const rest = (): Promise<Uint8Array> => drain((port) => host.serveImage(other, 'raw', port));
    expect((await rest()).some((b) => b !== 0)).toBe(true);
    expect((await host.rewind(id)).volumes.map((v) => v.info?.label)).toEqual(['ONE', 'TWO']);
    expect((await rest()).every((b) => b === 0)).toBe(true);
    await host.rewind(other);
  });

  it('keeps the other disk from being rewound, run on or taken away until it is over', async () => {
    const { host, plan, other } = await onTwoDisks();
    await stopHalfWay(host, plan);
    const holds = { code: 'run.holds' };
    await expect(host.rewind(other)).rejects.toMatchObject(holds);
    await expect(host.forget(other)).rejects.toMatchObject(holds);
    await expect(host.run(other, plan, {}, () => undefined)).rejects.toMatchObject(holds);
    // In a worker that begins anew the other disk must be there first.
    const later = new EngineHost();
    await later.openPractice(id, ring('Ring'));
    await expect(later.resume(id, () => undefined)).rejects.toMatchObject({ code: 'run.elsewhere' });
    await expect(later.rewind(id)).rejects.toMatchObject({ code: 'run.elsewhere' });
    await later.openPractice(other, parseRecipe({ ...RECIPE, name: 'Spare', table: 'none', volumes: [] }));
    expect((await later.resume(id, () => undefined)).proven).toBe(true);
    await later.rewind(other);
  });
});
