/** Trees between volumes of every kind: everything that can be kept is, all else was told, whatever is cut. */
import { type MemoryDevice } from '@/core/device';
import { canHold } from '@/core/files';
import { findKind, type ContentRun, type FileEntry, type NewContent, type NewFileFacts } from '@/core/fs';
import { surveyDisk } from '@/core/inspect';
import { type TargetInput } from '@/core/job';
import { seededRandom } from '@/core/practice';
import { rounds } from '@/core/fixtures/rounds';
import { describe, expect, it } from 'vitest';
import { MemoryJournal, startRun } from '.';
import { surviveCuts } from './fixtures/cuts';
import { NOW } from './fixtures/sticks';
import { openAt, randomTree, writeOn, type VolumePlace } from './fixtures/trees';
import { byContent, manifest, planned, twoVolumes } from './fixtures/two-volumes';

const KINDS = ['fat16', 'exfat', 'ntfs', 'ext4'];

const both = (then: 'keep' | 'remove', folder = 'tree'): TargetInput => ({
  volumes: [{ keep: 1 }, { keep: 2, as: 'to' }],
  transfers: [{ from: { volume: 1 }, folder, to: 'to', under: 'deep/er/Tree', then }],
});

/** Of what sort the files of a tree are. */
async function whatIsIn(disk: MemoryDevice, place: VolumePlace) {
  const entries: FileEntry[] = [];
  for await (const entry of (await openAt(disk, place)).walk()) if (entry.path.startsWith('tree')) entries.push(entry);
  const files = entries.filter((e) => e.kind === 'file' && e.stream === undefined);
  return {
    streams: entries.some((e) => e.stream !== undefined),
    extended: entries.some((e) => e.attributes.includes('extended attributes')),
    shared: new Set(files.map((e) => e.id)).size < files.length,
    links: entries.some((e) => e.kind === 'link'),
    special: entries.some((e) => e.kind === 'special'),
  };
}

describe('a tree goes to another volume', () => {
  const pairs = KINDS.flatMap((from) => KINDS.map((to) => [from, to] as const));
  it.each(pairs)('from %s to %s, with all that can be kept, whatever is cut', async (from, to) => {
    for (let round = 0; round < rounds(1, 6); round++) {
      const disk = await twoVolumes(from, to, 40, round);
      const before = (await surveyDisk(disk)).volumes;
      const source = await manifest(disk, before[0]!);
      const { plan } = await planned(disk, both(round % 2 === 0 ? 'remove' : 'keep'));
      const end = await surviveCuts(plan, disk, seededRandom(round + 1), 2);
      const { volumes } = await surveyDisk(end);
      expect(volumes.flatMap((v) => v.findings)).toEqual([]);
      const [here, there] = [await manifest(end, volumes[0]!), await manifest(end, volumes[1]!)];
      const kept = source.filter((e) => {
        const { holds } = findKind(to)!;
        return (e.stream === undefined || holds.keeps.includes('streams')) && canHold(holds, e);
      });
      expect(byContent(there, 'deep/er/Tree')).toEqual(byContent(kept, 'tree'));
      expect(here.some((e) => e.path.startsWith('tree/'))).toBe(round % 2 === 1);
      expect([here, there].map((m) => m.some((e) => e.path === 'mine.txt'))).toEqual([true, true]);
      // What is left out is lost where it is taken away, and has to be acknowledged.
      const poorer = (from === 'ntfs' || from === 'ext4') && to !== from;
      const has = await whatIsIn(disk, before[0]!);
      const leftOut = poorer && (has.streams || has.links || has.special);
      expect(plan.loses.files > 0).toBe(leftOut && round % 2 === 0);
      if (!poorer) continue;
      const warned = plan.hazards.map((h) => h.message).join(' ');
      const tells = (words: RegExp): boolean => words.test(warned);
      expect(tells(/named streams are left out/)).toBe(has.streams);
      expect(tells(/extended attributes of \d+ files are left out/)).toBe(has.extended);
      const shares = findKind(to)!.holds.keeps.includes('hard links');
      expect(tells(/several names become files of their own/)).toBe(has.shared && !shares);
      expect(tells(/links are left out/)).toBe(has.links);
      expect(tells(/special files are left out/)).toBe(has.special);
      expect(tells(/whose they are, and their modes/)).toBe(from === 'ext4');
    }
  });

  it('keeps rights, change times, links and shared names from NTFS to NTFS', async () => {
    const disk = await twoVolumes('ntfs', 'ntfs', 60, 99);
    const [a, b] = (await surveyDisk(disk)).volumes;
    const { plan } = await planned(disk, both('keep'));
    expect((await startRun(plan, { disk, journal: new MemoryJournal(), now: NOW })).proven).toBe(true);
    const [from, to] = [await openAt(disk, a!), await openAt(disk, b!)];
    const entries = new Map<string, FileEntry>();
    for await (const entry of to.walk()) entries.set(entry.path, entry);
    const ids = new Map<number, number>();
    let [rights, links, shared] = [0, 0, 0];
    for await (const entry of from.walk()) {
      if (!entry.path.startsWith('tree') || entry.stream) continue;
      const twin = entries.get(entry.path.replace('tree', 'deep/er/Tree'))!;
      const [was, is] = [await from.details(entry), await to.details(twin)];
      expect(is).toEqual(was);
      expect(twin.times).toEqual(entry.times);
      expect(twin.attributes).toEqual(entry.attributes);
      if (was.security) rights += 1;
      if (entry.kind === 'link') links += 1;
      if (entry.kind !== 'file') continue;
      if (ids.has(entry.id)) shared += 1;
      expect(ids.get(entry.id) ?? twin.id).toBe(twin.id);
      ids.set(entry.id, twin.id);
    }
    expect([rights > 5, links > 0, shared > 0]).toEqual([true, true, true]);
  });

  it('keeps the holes of sparse files, also of one that is larger than all of its target', async () => {
    const disk = await twoVolumes('ntfs', 'ntfs', 5, 17);
    const [first] = (await surveyDisk(disk)).volumes;
    const random = seededRandom(3);
    const bytes = (length: number): Uint8Array => Uint8Array.from({ length }, () => 1 + Math.floor(random() * 255));
    const sparse = (runs: readonly ContentRun[]): [NewContent, NewFileFacts] => {
      const size = runs.reduce((sum, r) => sum + (r.kind === 'bytes' ? r.bytes.length : r.length), 0);
      const inOrder = async function* () {
        yield* runs;
      };
      return [{ kind: 'from', device: disk, runs: inOrder(), size }, { attributes: ['sparse', 'archive'] }];
    };
    const zeros = (length: number): ContentRun => ({ kind: 'zeros', length });
    const some = (length: number): ContentRun => ({ kind: 'bytes', bytes: bytes(length) });
    await writeOn(disk, first!, async (writer) => {
      await writer.mkdir('holes');
      await writer.writeFile(
        'holes/large.img',
        ...sparse([some(5000), zeros(60e6), some(7), zeros(1e6), some(9000), zeros(99)]),
      );
      await writer.writeFile('holes/only.img', ...sparse([zeros(123_456)]));
      await writer.writeFile('holes/none.img', ...sparse([some(100), some(5000)]));
      await writer.writeFile('holes/empty.img', ...sparse([]));
      await writer.writeFile(
        'holes/torn.img',
        ...sparse(Array.from({ length: 300 }, () => [some(1), zeros(9000)]).flat()),
      );
    });
    const source = await manifest(disk, first!);
    expect((await surveyDisk(disk)).volumes.flatMap((v) => v.findings)).toEqual([]);
    const { plan } = await planned(disk, both('remove', 'holes'));
    expect([plan.loses.files, plan.hazards.some((h) => /sparse/.test(h.message))]).toEqual([0, false]);
    const end = await surviveCuts(plan, disk, seededRandom(5), 3);
    const { volumes } = await surveyDisk(end);
    expect(volumes.flatMap((v) => v.findings)).toEqual([]);
    expect(byContent(await manifest(end, volumes[1]!), 'deep/er/Tree')).toEqual(byContent(source, 'holes'));
    expect(volumes[1]!.info!.used).toBeLessThan(5 * 2 ** 20);
    const back = await planned(end, { volumes: [{ keep: 1 }, { keep: 2, size: '9 MiB' }] });
    const smaller = await surviveCuts(back.plan, end, seededRandom(6), 2);
    const after = (await surveyDisk(smaller)).volumes[1]!;
    expect(after.findings).toEqual([]);
    expect(byContent(await manifest(smaller, after), 'deep/er/Tree')).toEqual(byContent(source, 'holes'));
  });

  it('merges a volume that goes into a folder of the one before it, which grows over it', async () => {
    const disk = await twoVolumes('exfat', 'ntfs', 30, 5);
    const source = await manifest(disk, (await surveyDisk(disk)).volumes[1]!);
    const { plan } = await planned(disk, {
      volumes: [{ keep: 1, size: 'rest', as: 'to' }],
      remove: [2],
      transfers: [{ from: { volume: 2 }, folder: '', to: 'to', under: 'merged', then: 'remove' }],
    });
    expect(plan.loses).toEqual({ files: 0, bytes: 0 });
    const end = await surviveCuts(plan, disk, seededRandom(8), 3);
    const [volume] = (await surveyDisk(end)).volumes;
    expect(volume!.length).toBeGreaterThan(30 * 2 ** 20);
    expect(byContent(await manifest(end, volume!), 'merged')).toEqual(
      new Map(source.filter((e) => e.kind !== 'folder').map((e) => [`/${e.path}`, e.sha256])),
    );
  });

  it('compares each of several folders before any is taken away', async () => {
    const disk = await twoVolumes('ntfs', 'exfat', 12, 41);
    const [first] = (await surveyDisk(disk)).volumes;
    await writeOn(disk, first!, (writer) => randomTree(writer, 'ntfs', 'more', 9, seededRandom(42)));
    const one = both('remove').transfers![0]!;
    const transfers = [one, { ...one, folder: 'more', under: 'deep/more' }];
    const { plan } = await planned(disk, { ...both('remove'), transfers });
    const kinds = plan.steps.map((s) => s.kind);
    expect(kinds.filter((k) => k === 'transfer' || k === 'compare' || k === 'clear')).toEqual([
      'transfer',
      'transfer',
      'compare',
      'compare',
      'clear',
      'clear',
    ]);
    const receives = plan.steps.flatMap((s) => (s.kind === 'compare' ? [s.receives.map((r) => r.folder)] : []));
    expect(receives).toEqual([['tree'], ['tree', 'more']]);
    const end = await surviveCuts(plan, disk, seededRandom(43), 3);
    const paths = (await manifest(end, (await surveyDisk(end)).volumes[0]!)).map((e) => e.path);
    expect(paths).toEqual(['mine.txt']);
  });

  it('takes a whole volume to a new one of another kind, before the table forgets it', async () => {
    const disk = await twoVolumes('fat16', 'exfat', 30, 6);
    const source = await manifest(disk, (await surveyDisk(disk)).volumes[0]!);
    // The second goes first, so that there is room for a new one.
    const { plan: first } = await planned(disk, { volumes: [{ keep: 1 }], remove: [2] });
    await startRun(first, { disk, journal: new MemoryJournal(), now: NOW });
    const { plan } = await planned(disk, {
      volumes: [{ gap: '15 MiB' }, { create: 'ntfs', size: '16 MiB', as: 'new' }],
      remove: [1],
      transfers: [{ from: { volume: 1 }, folder: '', to: 'new', then: 'remove' }],
    });
    const kinds = plan.steps.map((s) => s.kind);
    expect(kinds.indexOf('make')).toBeLessThan(kinds.indexOf('transfer'));
    expect(kinds.indexOf('compare')).toBeLessThan(kinds.indexOf('remove'));
    expect(kinds.indexOf('remove')).toBeLessThan(kinds.indexOf('table'));
    const end = await surviveCuts(plan, disk, seededRandom(9), 3);
    const after = await manifest(end, (await surveyDisk(end)).volumes[0]!);
    expect(byContent(after, 'tree')).toEqual(byContent(source, 'tree'));
  });
});

describe('a link is left', () => {
  const linked = (letter: string | undefined): TargetInput => ({
    volumes: [{ keep: 1 }, { keep: 2, as: 'to', ...(letter ? { letter } : {}) }],
    transfers: [{ from: { volume: 1 }, folder: 'tree', to: 'to', under: 'p/q', then: 'remove', leave: 'link' }],
  });

  it('where the folder was, and leads to the new place, whatever is cut', async () => {
    const disk = await twoVolumes('ntfs', 'exfat', 20, 12);
    const { plan } = await planned(disk, linked('E'));
    const end = await surviveCuts(plan, disk, seededRandom(4), 2);
    const { volumes } = await surveyDisk(end);
    expect(volumes.flatMap((v) => v.findings)).toEqual([]);
    const volume = await openAt(end, volumes[0]!);
    const entries: FileEntry[] = [];
    for await (const entry of volume.walk()) entries.push(entry);
    const link = entries.find((e) => e.path === 'tree')!;
    expect([link.kind, entries.some((e) => e.path.startsWith('tree/'))]).toEqual(['link', false]);
    const { reparse, target } = await volume.details(link);
    expect(target).toBe('E:\\p\\q');
    expect(new TextDecoder('utf-16le').decode(reparse!.slice(16))).toBe('\\??\\E:\\p\\q\0E:\\p\\q\0');
  });

  it.each([5, 90])('on ext as a path below /media, by the label (%i)', async (seed) => {
    const disk = await twoVolumes('ext4', 'exfat', 20, seed);
    const named = (label: string): TargetInput => ({
      volumes: [{ keep: 1 }, { keep: 2, as: 'to', label }],
      transfers: linked(undefined).transfers!,
    });
    await expect(planned(disk, named(''))).rejects.toThrow(/needs its label/);
    const { plan } = await planned(disk, named('STORE'));
    expect(plan.hazards.map((h) => h.message).join()).toContain('/media/STORE/p/q');
    const end = await surviveCuts(plan, disk, seededRandom(seed), 2);
    const [volume] = (await surveyDisk(end)).volumes;
    expect(volume!.findings).toEqual([]);
    const open = await openAt(end, volume!);
    const entries: FileEntry[] = [];
    for await (const entry of open.walk()) entries.push(entry);
    const link = entries.find((e) => e.path === 'tree')!;
    expect([link.kind, entries.some((e) => e.path.startsWith('tree/'))]).toEqual(['link', false]);
    expect((await open.details(link)).target).toBe('/media/STORE/p/q');
  });

  it('not without a letter, nor where the kind has none', async () => {
    const disk = await twoVolumes('ntfs', 'exfat', 5, 1);
    await expect(planned(disk, linked(undefined))).rejects.toThrow(/needs its letter/);
    const plain = await twoVolumes('exfat', 'ntfs', 5, 1);
    await expect(planned(plain, linked('E'))).rejects.toThrow(/has no links/);
  });
});
