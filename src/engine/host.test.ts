import { isAll } from '@/core/bytes/fixtures/filled';
import 'fake-indexeddb/auto';
import { layoutOf } from '@/core/inspect';
import { derivePlan, scratchOn, type Plan } from '@/core/plan';
import { parseRecipe, type Recipe } from '@/core/practice';
import type { RunProgress } from '@/core/run';
import { unzipSync } from 'fflate';
import { beforeEach, describe, expect, it } from 'vitest';
import { drain } from './fixtures/drain';
import { EngineHost } from './host';
import { MIB, RECIPE, opened } from './fixtures/opened';

/** Every test has disks of its own in one database. */
let id = '';

let count = 0;

beforeEach(() => {
  count += 1;
  id = `disk-${count}`;
});

describe('the engine', () => {
  it('opens a practice disk and lists its folders, largest first', async () => {
    const { host } = await opened(id);
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
    const { host } = await opened(id);
    const {
      name: _n,
      totalBytes: _b,
      totalFiles: _f,
      ...entry
    } = (await host.folder(id, 1, '')).find((i) => i.name === 'top.txt')!;
    expect(new TextDecoder().decode(await host.preview(id, 1, entry, 6))).toBe('at the');
    expect(new TextDecoder().decode(await drain((port) => host.serveFile(id, 1, entry, port)))).toBe('at the top');
  });

  it('serves a folder as a zip, and nothing that a run changed meanwhile', async () => {
    const { host, plan } = await opened(id);
    const all = unzipSync(await drain((port) => host.serveFolder(id, 1, 'a', port)));
    expect(Object.keys(all).filter((name) => !name.endsWith('/')).length).toBe(15);
    const { port1, port2 } = new MessageChannel();
    await host.serveFolder(id, 1, '', port1);
    const next = (): Promise<unknown> =>
      new Promise((resolve) => {
        port2.onmessage = ({ data }) => resolve(data);
        port2.postMessage('pull');
      });
    expect(await next()).toHaveProperty('bytes');
    await host.run(id, plan, {}, () => undefined);
    expect(await next()).toMatchObject({ error: expect.stringMatching(/was changed meanwhile/) as unknown });
    port2.close();
  });

  it('says what lies past an end', async () => {
    const { host } = await opened(id);
    const beyond = await host.beyond(id, 1, 20 * MIB);
    expect(beyond.bytes).toBeGreaterThan(0);
    expect(beyond.items[0]!.path).toMatch(/^a\//);
  });

  it('runs, tells its progress in order, survives being opened anew, and rewinds', async () => {
    const { host, plan } = await opened(id);
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
    const { host, plan } = await opened(id);
    const run = host.run(id, plan, {}, () => undefined);
    await host.stop(id);
    await expect(run).rejects.toMatchObject({ code: 'run.stopped' });
    expect(await host.runStatus(id)).toMatchObject({ next: 0 });
    expect((await host.resume(id, () => undefined)).proven).toBe(true);
  });

  it('stops safely and resumes in another worker', async () => {
    const { host, plan } = await opened(id);
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
    const { host, plan } = await opened(id);
    await host.run(id, plan, {}, () => undefined);
    await host.forget(id);
    await expect(host.survey(id)).rejects.toMatchObject({ code: 'storage.lost' });
    expect(await host.runStatus(id)).toBeUndefined();
    expect((await host.openPractice(id, RECIPE)).volumes).toHaveLength(1);
  });

  it('opens an image file, and refuses another one in its place', async () => {
    const { host } = await opened(id);
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
    const { host } = await opened(id);
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
    expect(isAll(0, rest)).toBe(true);
  });

  it('leaves nothing there when it is stopped half way and rewound', async () => {
    const { host, plan, other } = await onTwoDisks();
    await stopHalfWay(host, plan);
    const rest = (): Promise<Uint8Array> => drain((port) => host.serveImage(other, 'raw', port));
    expect((await rest()).some((b) => b !== 0)).toBe(true);
    expect((await host.rewind(id)).volumes.map((v) => v.info?.label)).toEqual(['ONE', 'TWO']);
    expect(isAll(0, await rest())).toBe(true);
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
