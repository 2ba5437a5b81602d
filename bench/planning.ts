/** How planning grows with the number of volumes. */
import { SparseDevice } from '@/core/device';
import { abilitiesOf } from '@/core/fs';
import { surveyDisk, type Survey } from '@/core/inspect';
import { asVolumeId, type Layout, type LaidVolume } from '@/core/layout';
import { derivePlan } from '@/core/plan';
import { bandsBetween, layoutColumn, usedBy } from '@/core/report';
import { timed } from './timed';
import { GPT, MIB, GIB, say } from './common';

export async function benchMany(): Promise<void> {
  const count = 100;
  const size = 4 * GIB;
  const volumes = Array.from({ length: count }, (_, i): LaidVolume => ({
    id: asVolumeId(`kept-${i + 1}`),
    origin: { kind: 'kept', number: i + 1 },
    start: MIB + i * size,
    length: size,
    fileSystem: 'fat32',
    label: `V${i}`,
    role: 'data',
    active: false,
    logical: false,
    flags: [],
    type: 12,
    guarded: false,
  }));
  const layout: Layout = { diskSize: 2 * MIB + count * size, sectorSize: 512, table: 'none', volumes };
  const base = await surveyDisk(new SparseDevice(layout.diskSize - (layout.diskSize % 512)));
  const survey: Survey = {
    ...base,
    volumes: volumes.map((v, i) => ({
      number: i + 1,
      start: v.start,
      length: v.length,
      slot: undefined,
      active: false,
      type: 12,
      logical: false,
      typeGuid: undefined,
      guid: undefined,
      name: undefined,
      flags: [],
      role: 'data' as const,
      info: {
        kind: 'fat32',
        title: 'FAT32',
        label: v.label,
        serial: '',
        clusterSize: 4096,
        size,
        used: GIB,
        free: 3 * GIB,
      },
      limits: { floor: { bytes: GIB, reason: '', holds: [] }, ceiling: { bytes: 8 * GIB, reason: '' } },
      abilities: abilitiesOf('fat32'),
      allocation: [{ start: 0, end: GIB }],
      files: 100,
      findings: [],
      recognised: undefined,
      fault: undefined,
      seen: undefined,
    })),
  };
  const planned: Layout = { ...layout, volumes: volumes.map((v) => ({ ...v, length: 2 * GIB })) };
  const repeats = 50;
  const guidOfNumber = ({ start }: { start: number }): string =>
    `${start.toString(16).padStart(8, '0').slice(-8)}-0000-0000-0000-000000000001`.toUpperCase();
  const gpt: Survey = {
    ...survey,
    table: 'gpt',
    partitions: { ...GPT, entries: [] },
    volumes: survey.volumes.map((v, slot) => ({ ...v, slot, guid: guidOfNumber(v) })),
  };
  const moved: Layout = {
    ...planned,
    table: 'gpt',
    volumes: planned.volumes.map((v) => ({ ...v, start: v.start + GIB, guid: guidOfNumber(v) })),
  };
  const planning =
    (await timed(() => {
      for (let i = 0; i < repeats; i++) derivePlan(survey, planned);
    })) / repeats;
  const drawing =
    (await timed(() => {
      for (let i = 0; i < repeats; i++) {
        const column = { top: 0, height: 1500, gap: 3, least: 22 };
        bandsBetween(layoutColumn(layout, column), layoutColumn(planned, column), usedBy(survey), 0, 100);
      }
    })) / repeats;
  const moving =
    (await timed(() => {
      for (let i = 0; i < repeats; i++) derivePlan(gpt, moved);
    })) / repeats;
  say(`\n${count} volumes, every one shrunk and moved: planning ${(moving * 1000).toFixed(2)} ms`);
  say(
    `${count} volumes: planning ${(planning * 1000).toFixed(2)} ms, column geometry and bands ${(drawing * 1000).toFixed(2)} ms`,
  );
}
