/** Folders that are moved from a volume of another disk: both disks are written, and both are proven, whatever is cut. */
import { MediumDevice, MemoryDevice } from '@/core/device';
import { canHold } from '@/core/files';
import { rounds } from '@/core/fixtures/rounds';
import { findKind } from '@/core/fs';
import { surveyDisk } from '@/core/inspect';
import type { TargetInput } from '@/core/job';
import { alsoWritten, provePlan, stepWrites } from '@/core/plan';
import { seededRandom } from '@/core/practice';
import { describe, expect, it } from 'vitest';
import { MemoryJournal, readRunState, resumeRun, startRun } from '.';
import { surviveCuts } from './fixtures/cuts';
import { NOW } from './fixtures/sticks';
import { openAt } from './fixtures/trees';
import { byContent, manifest, planned, twoVolumes } from './fixtures/two-volumes';

const taking = (then: 'keep' | 'remove', folder = 'tree'): TargetInput => ({
  volumes: [{ keep: 1 }, { keep: 2, as: 'to' }],
  transfers: [{ from: { disk: 'old', volume: 1 }, folder, to: 'to', under: 'deep/er/Tree', then }],
});

const cloned = (disk: MemoryDevice): MemoryDevice => new MemoryDevice(disk.buffer.slice(), disk.sectorSize);
const withOld = (old: MemoryDevice): Map<string, MemoryDevice> => new Map([['old', old]]);

describe('a tree is moved from another disk', () => {
  it.each([
    ['fat16', 'ntfs'],
    ['exfat', 'exfat'],
    ['ntfs', 'ntfs'],
    ['ntfs', 'ext4'],
    ['ext4', 'ext4'],
    ['ext4', 'fat16'],
  ])('from %s to %s, with both disks proven, whatever is cut', async (from, to) => {
    for (let round = 0; round < rounds(1, 6); round++) {
      const [old, disk] = [await twoVolumes(from, 'fat16', 25, round), await twoVolumes('exfat', to, 3, round + 50)];
      const [beside] = [(await surveyDisk(old)).volumes[1]!];
      const others = await manifest(old, beside);
      const source = await manifest(old, (await surveyDisk(old)).volumes[0]!);
      const { plan } = await planned(disk, taking('remove'), withOld(old));
      expect(alsoWritten(plan).map((s) => s.disk)).toEqual(['old']);
      const certificate = await startRun(plan, {
        disk: cloned(disk),
        others: withOld(cloned(old)),
        journal: new MemoryJournal(),
        now: NOW,
      });
      expect(certificate.volumes.map((v) => v.name)).toContain('FROM of old');
      const end = await surviveCuts(plan, disk, seededRandom(round + 1), 2, withOld(old));
      const [here, there] = [(await surveyDisk(end)).volumes[1]!, (await surveyDisk(old)).volumes];
      expect([here, ...there].flatMap((v) => v.findings)).toEqual([]);
      const kept = source.filter((e) => {
        const { holds } = findKind(to)!;
        return (e.stream === undefined || holds.keeps.includes('streams')) && canHold(holds, e);
      });
      expect(byContent(await manifest(end, here), 'deep/er/Tree')).toEqual(byContent(kept, 'tree'));
      expect((await manifest(old, there[0]!)).map((e) => e.path)).toEqual(['mine.txt']);
      expect(await manifest(old, there[1]!)).toEqual(others);
    }
  });

  it('only by steps that say so, behind the comparison, with both disks told', async () => {
    const [old, disk] = [await twoVolumes('ntfs', 'fat16', 5, 1), await twoVolumes('exfat', 'ntfs', 3, 2)];
    const { plan } = await planned(disk, taking('remove'), withOld(old));
    const elsewhere = plan.steps.filter((s) => stepWrites(s) === 'old').map((s) => s.kind);
    expect(elsewhere).toEqual(['clear']);
    const kinds = plan.steps.map((s) => s.kind);
    expect(kinds.indexOf('clear')).toBeGreaterThan(kinds.lastIndexOf('compare'));
    expect(plan.hazards.map((h) => h.message)).toContainEqual(expect.stringMatching(/^FROM of old is written too/));
    const { plan: copying } = await planned(disk, taking('keep'), withOld(old));
    expect(alsoWritten(copying)).toEqual([]);
    expect(copying.steps.every((s) => stepWrites(s) === 'here')).toBe(true);
    // A journal that somebody wrote who would have files put there.
    const [at] = copying.steps.flatMap((s) => (s.kind === 'transfer' ? [s.from] : []));
    const steps = copying.steps.map((s) => (s.kind === 'transfer' ? { ...s, at: at! } : s));
    expect(() => provePlan({ ...copying, steps })).toThrow(/only read/);
  });

  it('and stays there where it can’t be read, which stops the run before anything is written', async () => {
    const [old, disk] = [await twoVolumes('ntfs', 'fat16', 12, 3), await twoVolumes('exfat', 'ntfs', 3, 4)];
    const from = (await surveyDisk(old)).volumes[0]!;
    const volume = await openAt(old, from);
    let dead: { start: number; end: number } | undefined;
    for await (const entry of volume.walk()) {
      if (entry.kind !== 'file' || entry.stream !== undefined || !entry.path.startsWith('tree/')) continue;
      for await (const run of volume.content(entry))
        if (run.kind === 'at') dead ??= { start: from.start + run.offset, end: from.start + run.offset + 512 };
    }
    const before = [old.buffer.slice(), disk.buffer.slice()];
    const failing = new MediumDevice(old, { read: 1e9, write: 1e9, seek: 0, weak: [], dead: [dead!] });
    const { plan } = await planned(disk, taking('remove'), withOld(old));
    const others = new Map([['old', failing]]);
    const run = startRun(plan, { disk, others, journal: new MemoryJournal(), now: NOW });
    await expect(run).rejects.toMatchObject({ code: 'device.read-failed' });
    expect([old, disk].every((d, i) => Buffer.compare(d.buffer, before[i]!) === 0)).toBe(true);
  });

  it('is not taken up where that disk was changed meanwhile, or is not there', async () => {
    const [old, disk] = [await twoVolumes('ntfs', 'fat16', 5, 1), await twoVolumes('exfat', 'ntfs', 3, 2)];
    const { plan } = await planned(disk, taking('remove'), withOld(old));
    const abort = new AbortController();
    const journal = new MemoryJournal();
    const progress = ({ step }: { step: number }): void => {
      if (plan.steps[step]!.kind === 'transfer') abort.abort();
    };
    const ports = { disk, journal, now: NOW, progress, signal: abort.signal };
    await expect(startRun(plan, { ...ports, others: withOld(old) })).rejects.toMatchObject({ code: 'run.stopped' });
    expect(await readRunState(journal)).toMatchObject({ certificate: undefined });
    const again = { disk, journal, now: NOW };
    await expect(resumeRun(again)).rejects.toMatchObject({ code: 'run.source' });
    const other = await twoVolumes('ntfs', 'fat16', 5, 9);
    await expect(resumeRun({ ...again, others: withOld(other) })).rejects.toMatchObject({ code: 'run.source' });
    expect((await resumeRun({ ...again, others: withOld(old) })).proven).toBe(true);
  });
});
