import { MediumDevice, type BlockDevice } from '@/core/device';
import { rounds } from '@/core/fixtures/rounds';
import { scan, type Stretch } from '@/core/health';
import { buildStick } from '@/core/run/fixtures/sticks';
import { Session } from '@/core/session';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { hitsOf } from '.';

/** What lies on each sector of a volume, by its files alone. */
async function ownersOf(disk: BlockDevice): Promise<Map<number, Set<string>>> {
  const session = await Session.open(disk, 'disk');
  const { volume } = await session.volume(1);
  const { start } = session.survey.volumes[0]!;
  const out = new Map<number, Set<string>>();
  for await (const entry of volume.walk()) {
    if (entry.kind === 'folder') continue;
    for await (const run of volume.content(entry)) {
      if (run.kind !== 'at') continue;
      const [first, last] = [start + run.offset, start + run.offset + run.length - 1].map((at) => Math.floor(at / 512));
      for (let sector = first!; sector <= last!; sector++)
        out.set(sector, (out.get(sector) ?? new Set()).add(entry.path));
    }
  }
  return out;
}

describe('what lies on sectors that fail', () => {
  it.each(['fat16', 'exfat', 'ntfs', 'ext4'])('is exactly the files on them, on %s', async (fileSystem) => {
    const fill = [{ folder: 'a', count: 60, name: 'f{nn}.bin', smallest: '1 KiB', largest: '300 KiB', fragments: 3 }];
    const disk = await buildStick({ volumes: [{ fileSystem, label: 'HIT', fill }] as never });
    const owners = await ownersOf(disk);
    const session = await Session.open(disk, 'disk');
    await fc.assert(
      fc.asyncProperty(
        fc.uniqueArray(fc.integer({ min: 0, max: disk.size / 512 - 1 }), { minLength: 1, maxLength: 12 }),
        async (dead) => {
          const model = { read: 1e8, write: 1e8, seek: 0, weak: [], dead: dead.map((n) => place(n)) };
          const medium = new MediumDevice(disk, model);
          const faults: Stretch[] = [];
          const whole = [{ start: 0, end: disk.size }];
          for await (const event of scan(medium, whole, { clock: () => medium.seconds }))
            if (event.kind === 'fault') faults.push(event);
          const hits = await hitsOf(session.survey, faults, async (n) => (await session.volume(n)).volume);
          const told = new Set(hits.flatMap((h) => (h.what === 'file' ? [h.path!] : [])));
          const expected = new Set(dead.flatMap((n) => [...(owners.get(n) ?? [])]));
          expect([...told].sort()).toEqual([...expected].sort());
          expect(hits.reduce((sum, h) => sum + h.end - h.start, 0)).toBeGreaterThanOrEqual(dead.length * 512);
        },
      ),
      { numRuns: rounds(25, 300) },
    );
  });
});

const place = (sector: number): Stretch => ({ start: sector * 512, end: (sector + 1) * 512 });
