/** Volumes that no entry names are put back, and damaged ones mended. */
import { MemoryDevice } from '@/core/device';
import { layoutOf, surveyDisk, type Survey } from '@/core/inspect';
import { type TargetInput } from '@/core/job';
import { giveRoom } from '@/core/layout';
import { derivePlan } from '@/core/plan';
import { seededRandom } from '@/core/practice';
import { type ManifestEntry } from '@/core/proof';
import { Session } from '@/core/session';
import { describe, expect, it } from 'vitest';
import { startRun } from '.';
import { surviveCuts } from './fixtures/cuts';
import { buildStick } from './fixtures/sticks';
import { MIB, KINDS, shelf, planned, manifest, ports } from './fixtures/shelf';

/** One after the other: they share a hasher. */
async function manifests(disk: MemoryDevice, { volumes }: Survey): Promise<ManifestEntry[][]> {
  const out: ManifestEntry[][] = [];
  for (const volume of volumes) out.push(await manifest(disk, volume));
  return out;
}

describe('volumes that no entry names', () => {
  it.each(['mbr', 'gpt'] as const)('come back with all files: entries deleted on a disk with %s', async (table) => {
    const disk = await shelf(KINDS, table);
    const before = await surveyDisk(disk);
    const files = await manifests(disk, before);
    const { plan } = await planned(disk, { volumes: [{ keep: 1 }], remove: [2, 3, 4] });
    await startRun(plan, ports(disk));
    const session = await Session.open(disk, 'disk');
    const { lost } = await session.find();
    expect(lost!.map((v) => [v.start, v.length, v.info!.kind, v.info!.label, v.lost!.whole])).toEqual(
      before.volumes.slice(1).map((v) => [v.start, v.info!.size, v.info!.kind, v.info!.label, v.files]),
    );
    const back = await planned(disk, { volumes: [{ keep: 1 }, { find: 1 }, { find: 2, label: 'AGAIN' }, { find: 3 }] });
    const end = await surviveCuts(back.plan, disk, seededRandom(6), 2);
    const after = await surveyDisk(end);
    expect(after.volumes.map((v) => v.info?.label)).toEqual(['VOL1', 'VOL2', 'AGAIN', 'VOL4']);
    for (const [i, v] of after.volumes.entries()) expect(await manifest(end, v)).toEqual(files[i]);
    expect((await (await Session.open(end, 'disk')).find()).lost).toEqual([]);
  });

  it.each([
    ['its table gone', 512],
    ['its first megabyte written over', MIB],
  ])('come back on a disk with %s', async (_, length) => {
    const disk = await shelf(KINDS, 'mbr');
    const before = await surveyDisk(disk);
    const random = seededRandom(5);
    for (let i = 0; i < length; i++) disk.buffer[i] = Math.floor(random() * 256);
    const input: TargetInput = { table: 'mbr', volumes: [{ find: 1 }, { find: 2 }, { find: 3 }, { find: 4 }] };
    const { plan } = await planned(disk, input);
    await expect(planned(disk, { ...input, table: undefined } as never)).rejects.toThrow(/no table/);
    const end = await surviveCuts(plan, disk, seededRandom(6), 3);
    const after = await surveyDisk(end);
    expect(after.volumes.map((v) => [v.start, v.info!.label, v.files])).toEqual(
      before.volumes.map((v) => [v.start, v.info!.label, v.files]),
    );
  });

  it('are each found once, whatever copies of their beginnings there are', async () => {
    const volumes = ['fat32', 'ntfs', 'exfat', 'ext2'].map((fileSystem, i) => ({
      size: '36 MiB',
      start: `${1 + i * 36} MiB`,
      fileSystem,
      ...(fileSystem === 'fat32' ? { clusterSize: 512 } : {}),
      label: `V${i}`,
      fill: [{ folder: 'a', count: 30, name: '{n}.bin', smallest: '1 KiB', largest: '90 KiB' }],
    }));
    const disk = await buildStick({ table: 'mbr', size: '150 MiB', volumes: volumes as never });
    const before = await surveyDisk(disk);
    disk.buffer.fill(0, 0, 512);
    const { lost } = await (await Session.open(disk, 'disk', true)).find();
    expect(lost!.map((v) => [v.start, v.info!.label, v.files, v.lost!.whole])).toEqual(
      before.volumes.map((v) => [v.start, v.info!.label, 30, 30]),
    );
  });

  it('are none on a sound disk, and none where a volume was made smaller', async () => {
    const disk = await shelf(KINDS);
    expect((await (await Session.open(disk, 'disk')).find()).lost).toEqual([]);
    const { plan } = await planned(disk, {
      volumes: [{ keep: 1, size: '12 MiB' }, { keep: 2 }, { keep: 3, size: '12 MiB' }, { keep: 4, size: '12 MiB' }],
    });
    await startRun(plan, ports(disk));
    expect((await (await Session.open(disk, 'disk')).find()).lost).toEqual([]);
  });

  it('are mended as they are put back, where their beginning is damaged', async () => {
    const disk = await shelf(['fat16', 'exfat', 'ntfs', 'ext4'], 'gpt');
    const before = await surveyDisk(disk);
    const files = await manifests(disk, before);
    await startRun((await planned(disk, { volumes: [{ keep: 1 }], remove: [2, 3, 4] })).plan, ports(disk));
    for (const v of before.volumes.slice(1)) disk.buffer.fill(0, v.start, v.start + 2048);
    const { plan, survey } = await planned(disk, { volumes: [{ keep: 1 }, { find: 1 }, { find: 2 }, { find: 3 }] });
    expect(survey.lost!.map((v) => v.seen!.mends.length > 0)).toEqual([true, true, true]);
    const end = await surviveCuts(plan, disk, seededRandom(9), 2);
    const after = await surveyDisk(end);
    expect(after.volumes.flatMap((v) => v.findings)).toEqual(before.volumes.flatMap((v) => v.findings));
    for (const [i, v] of after.volumes.entries()) expect(await manifest(end, v)).toEqual(files[i]);
  });
});

describe('mending', () => {
  it.each(['exfat', 'ntfs', 'ext4'])('a damaged %s volume is shown with kind and label, and mended', async (kind) => {
    const disk = await shelf([kind, 'fat16'], 'mbr');
    const [sound] = (await surveyDisk(disk)).volumes;
    const files = await manifest(disk, sound!);
    disk.buffer.fill(0, sound!.start, sound!.start + 2048);
    const session = await Session.open(disk, 'disk');
    const [damaged] = session.survey.volumes;
    expect(damaged!.info).toBeUndefined();
    expect(damaged!.seen!.volume).toMatchObject({ files: sound!.files, info: { kind, label: 'VOL1' } });
    expect(layoutOf(session.survey).volumes[0]).toMatchObject({ label: 'VOL1', fileSystem: 'unknown' });
    const open = await session.volume(1);
    expect(open.volume.info.label).toBe('VOL1');
    const survey = await session.lookForMends();
    const plan = derivePlan(survey, { ...layoutOf(survey), mend: true });
    expect(plan.steps.map((s) => s.kind)).toEqual(['mend', 'check', 'check', 'prove', 'prove']);
    const end = await surviveCuts(plan, disk, seededRandom(3), 2);
    const [after] = (await surveyDisk(end)).volumes;
    expect(await manifest(end, after!)).toEqual(files);
    expect(after!.findings).toEqual(sound!.findings);
  });

  it('a volume that is longer than its place opens for reading, and says so', async () => {
    const disk = await shelf(['ntfs', 'fat16'], 'mbr');
    const before = await manifest(disk, (await surveyDisk(disk)).volumes[0]!);
    const entry = new DataView(disk.buffer.buffer, disk.buffer.byteOffset + 446);
    entry.setUint32(12, entry.getUint32(12, true) - 2048, true);
    const survey = await surveyDisk(disk);
    const [volume] = survey.volumes;
    expect(volume!.seen!.volume.findings.map((f) => f.code)).toEqual(['fs.longer']);
    expect(volume!.seen!.volume).toMatchObject({ info: { label: 'VOL1' } });
    expect(volume!.seen!.mends).toEqual([]);
    // Given the room that it says it has, all of it is there.
    const wider = giveRoom(layoutOf(survey), layoutOf(survey).volumes[0]!.id, volume!.seen!.volume.info!.size);
    if (!wider.ok) throw new Error(wider.reason);
    const end = await surviveCuts(derivePlan(survey, wider.layout), disk, seededRandom(12), 2);
    const after = await surveyDisk(end);
    expect(after.volumes[0]).toMatchObject({ length: 14 * MIB, findings: [], info: { label: 'VOL1' } });
    expect(await manifest(end, after.volumes[0]!)).toEqual(before);
    expect(giveRoom(layoutOf(survey), layoutOf(survey).volumes[0]!.id, 20 * MIB).ok).toBe(false);
  });

  it('a sound disk has nothing to mend', async () => {
    const disk = await shelf(KINDS);
    const survey = await (await Session.open(disk, 'disk')).lookForMends();
    expect(derivePlan(survey, { ...layoutOf(survey), mend: true }).steps).toEqual([]);
  });
});
