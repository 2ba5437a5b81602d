/** Tabs, stores and exports of the engine. */
import 'fake-indexeddb/auto';
import { MemoryDevice, OverlayDevice } from '@/core/device';
import { deviceCompliance } from '@/core/device/fixtures/compliance';
import { layoutOf } from '@/core/inspect';
import { derivePlan } from '@/core/plan';
import { beforeEach, describe, expect, it } from 'vitest';
import { Database } from './database';
import { drain } from './fixtures/drain';
import { EngineHost } from './host';
import { BenchLock, type Locks } from './bench-lock';
import { DexieJournal, DexieOverlayStore } from './stores';
import { MIB, RECIPE, opened } from './fixtures/opened';

/** Every test has disks of its own in one database. */
let id = '';

let count = 0;

beforeEach(() => {
  count += 1;
  id = `edge-${count}`;
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
    const [one, two, three] = [1, 2, 3].map(() => new EngineHost(new Database(), new BenchLock(locks)));
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
    const { host, plan } = await opened(id);
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
    const { host } = await opened(id);
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
    const cut = 1024 * 1024;
    const parts = [new File([bytes.slice(0, cut)], 'a.001'), new File([bytes.slice(cut)], 'a.002')];
    await host.openImage(`${id}-parts`, new File(parts, 'a'), { parts });
    for (const target of parts)
      await expect(host.exportTo(`${id}-parts`, handle(target), () => undefined)).rejects.toMatchObject({
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
    const part = other();
    await host.exportTo(`${id}-image`, part, () => undefined, { start: cut, end: cut + 512 * 3 });
    const cutOut = new Uint8Array(await (await part.getFile()).arrayBuffer());
    expect(Buffer.compare(cutOut, bytes.subarray(cut, cut + 512 * 3))).toBe(0);
    await expect(host.exportTo(`${id}-image`, other(true), () => undefined)).rejects.toMatchObject({
      code: 'image.not-as-saved',
    });
  });
});

describe('storage', () => {
  it('is counted by disk', async () => {
    const { host, plan } = await opened(id);
    await host.run(id, plan, {}, () => undefined);
    const { disks } = await host.storage();
    expect(disks.find((d) => d.id === id)!.bytes).toBeGreaterThan(64 * 1024);
  });

  it('that was emptied in the middle of a run is said to be lost, and nothing is called proven', async () => {
    const { host, plan } = await opened(id);
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
