/** Folders that are parked and brought back, and volumes that are taken over where they lie. */
import { layoutOf, surveyDisk } from '@/core/inspect';
import { lookAtTransfers, type OpenVolumeOf, type TargetInput } from '@/core/job';
import { formatVolume, type TransferWish } from '@/core/layout';
import { HERE } from '@/core/place';
import { derivePlan } from '@/core/plan';
import { seededRandom } from '@/core/practice';
import type { ManifestEntry } from '@/core/proof';
import { describe, expect, it } from 'vitest';
import { surviveCuts } from './fixtures/cuts';
import { openAt, randomTree, writeOn } from './fixtures/trees';
import { manifest, planned, twoVolumes } from './fixtures/two-volumes';

describe('a folder is parked and brought back', () => {
  const parked = (more: Partial<TargetInput> = {}): TargetInput => ({
    volumes: [{ keep: 1 }, { keep: 2, as: 'park' }],
    transfers: [{ from: { volume: 1 }, folder: 'tree', to: 'park', under: 'parked/here', then: 'back' }],
    ...more,
  });

  it.each([
    ['ntfs', 'ntfs'],
    ['exfat', 'ntfs'],
    ['fat16', 'exfat'],
    ['ext4', 'ext4'],
  ])(
    'from %s on %s, both volumes are as they were, and one got smaller meanwhile, whatever is cut',
    async (from, to) => {
      const disk = await twoVolumes(from, to, 25, 51);
      const { volumes } = await surveyDisk(disk);
      const before = [await manifest(disk, volumes[0]!), await manifest(disk, volumes[1]!)];
      const { plan } = await planned(
        disk,
        parked({
          volumes: [
            { keep: 1, size: '14 MiB' },
            { keep: 2, as: 'park' },
          ],
        }),
      );
      const kinds = plan.steps.map((s) => s.kind);
      expect(kinds.filter((k) => k !== 'check' && k !== 'prove' && k !== 'table')).toEqual([
        'transfer',
        'compare',
        'clear',
        'shrink',
        'transfer',
        'compare',
        'clear',
      ]);
      expect(plan.loses).toEqual({ files: 0, bytes: 0 });
      const end = await surviveCuts(plan, disk, seededRandom(52), 4);
      const after = (await surveyDisk(end)).volumes;
      expect(after).toMatchObject([{ length: 14 * 2 ** 20, findings: [] }, { findings: [] }]);
      for (const i of [0, 1]) {
        const byPath = (list: ManifestEntry[]) => [...list].sort((a, b) => (a.path < b.path ? -1 : 1));
        expect(byPath(await manifest(end, after[i]!))).toEqual(byPath(before[i]!));
      }
    },
  );

  it('everything, while its volume is made anew as another kind', async () => {
    const disk = await twoVolumes('exfat', 'ntfs', 25, 53);
    const survey = await surveyDisk(disk);
    const before = await manifest(disk, survey.volumes[0]!);
    const now = layoutOf(survey);
    const edited = formatVolume(now, now.volumes[0]!.id, { fileSystem: 'ntfs' });
    if (!edited.ok) throw new Error(edited.reason);
    const { layout } = edited;
    const wish: TransferWish = {
      from: { disk: HERE, number: 1 },
      fromName: 'FROM',
      to: layout.volumes[1]!.id,
      folder: '',
      under: 'parked',
      then: 'back',
    };
    const open: OpenVolumeOf = ({ number }) => openAt(disk, survey.volumes[number - 1]!);
    const plan = derivePlan(survey, layout, { transfers: await lookAtTransfers([wish], layout, open) });
    expect(plan.loses).toEqual({ files: 0, bytes: 0 });
    const end = await surviveCuts(plan, disk, seededRandom(54), 4);
    const [first, second] = (await surveyDisk(end)).volumes;
    expect(first).toMatchObject({ info: { kind: 'ntfs' }, findings: [] });
    const sorted = (list: ManifestEntry[]) => list.map((e) => [e.path, e.sha256]).sort();
    expect(sorted(await manifest(end, first!))).toEqual(sorted(before));
    expect((await manifest(end, second!)).map((e) => e.path)).toEqual(['mine.txt']);
  });

  it('not where it would come back as something else, or to nowhere', async () => {
    const disk = await twoVolumes('ntfs', 'exfat', 10, 55);
    await expect(planned(disk, parked())).rejects.toThrow(/can’t be parked there: it would come back without its/);
    const gone = parked({ volumes: [{ keep: 2, as: 'park' }], remove: [1] });
    await expect(planned(disk, gone)).rejects.toThrow(/can’t be brought back to it/);
    const same = await twoVolumes('exfat', 'exfat', 10, 56);
    const [one] = parked().transfers!;
    const whole = parked({ transfers: [{ ...one!, folder: '', under: '' }] });
    await expect(planned(same, whole)).rejects.toThrow(/needs a folder of its own/);
  });
});

describe('two volumes whose clusters line up', () => {
  const merged = (under: string): TargetInput => ({
    volumes: [{ keep: 1, size: 'rest', as: 'to' }],
    remove: [2],
    transfers: [{ from: { volume: 2 }, folder: '', to: 'to', under, then: 'remove' }],
  });

  it.each([
    ['ntfs', ''],
    ['ntfs', 'second'],
    ['exfat', ''],
    ['exfat', 'second'],
    ['ext4', ''],
    ['ext4', 'second'],
  ])('are merged where everything lies, %s under “%s”, whatever is cut', async (kind, under) => {
    const disk = await twoVolumes(kind, kind, 40, 21);
    const [first, second] = (await surveyDisk(disk)).volumes;
    await writeOn(disk, second!, async (writer) => {
      await randomTree(writer, kind, 'other', 60, seededRandom(22));
      const placement = { near: 0.5, fragments: 5 };
      await writer.writeFile('other/pieces', { kind: 'procedural', seed: 5, size: 90_000 }, { placement });
    });
    const before = [await manifest(disk, first!), await manifest(disk, second!)];
    const { plan } = await planned(disk, merged(under));
    expect(plan.steps.map((s) => s.kind)).toEqual(['check', 'check', 'adopt', 'table', 'prove']);
    expect([plan.total.carries, plan.loses]).toEqual([0, { files: 0, bytes: 0 }]);
    // Both have a file of one name in their roots.
    const told = plan.hazards.some((h) => /1 name can’t be the same .* mine\.txt/.test(h.message));
    expect(told).toBe(under === '');
    const end = await surviveCuts(plan, disk, seededRandom(23), 4);
    const { volumes } = await surveyDisk(end);
    expect(volumes).toMatchObject([{ findings: [], length: disk.size - 2 * 2 ** 20 }]);
    const after = new Map((await manifest(end, volumes[0]!)).map((e) => [e.path, e]));
    for (const entry of before[0]!) expect(after.get(entry.path)).toEqual(entry);
    for (const entry of before[1]!) {
      const clash = under === '' && entry.path === 'mine.txt';
      const path = clash ? 'mine (2).txt' : under ? `${under}/${entry.path}` : entry.path;
      expect(after.get(path)).toEqual({ ...entry, path });
    }
    // Every byte of what the second held is where it was.
    const volume = await openAt(disk, second!);
    for await (const entry of volume.walk())
      for await (const run of entry.kind === 'file' ? volume.content(entry) : [])
        if (run.kind === 'at') {
          const at = second!.start + run.offset;
          const [was, is] = [disk, end].map((d) => d.buffer.subarray(at, at + run.length));
          expect(Buffer.compare(was!, is!), entry.path).toBe(0);
        }
  });

  it('are carried where they do not, or where only some of it goes', async () => {
    const disk = await twoVolumes('ntfs', 'exfat', 10, 3);
    const { plan } = await planned(disk, merged('x'));
    expect(plan.steps.map((s) => s.kind)).toContain('transfer');
  });
});
