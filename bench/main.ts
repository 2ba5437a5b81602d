/**
 * Speed, as ratios to a plain copy, to the machine's own SHA-256, and to independent readers of the same bytes in the same
 * run; and how it grows. Names of areas as arguments measure only those. Written into docs/performance.md.
 */
import { execFileSync } from 'node:child_process';
import { rmSync } from 'node:fs';
import { benchBetween } from './between';
import { box } from './common';
import { figures } from './figures';
import { benchHonest } from './honest';
import { benchMany } from './many';
import { benchMemory } from './memory';
import { benchMerge } from './merge';
import { benchOpening } from './opening';
import { benchPage } from './page';
import { writePerformance } from './performance';
import { benchCarried, benchLarge, benchPlanning } from './planning';
import { benchRetire } from './retire';
import { benchTasks } from './tasks';
import { benchExport, benchVolume, benchVolumeGrowth } from './volume';

const each = async (kinds: readonly string[], bench: (kind: string) => Promise<void>): Promise<void> => {
  for (const kind of kinds) await bench(kind);
};

/** In this order: memory is measured before others leave large disks behind in this process. */
const AREAS: Readonly<Record<string, () => unknown>> = {
  start: benchOpening,
  page: benchPage,
  tasks: benchTasks,
  memory: benchMemory,
  volume: () => each(['fat32', 'ext4'], benchVolume),
  growth: benchVolumeGrowth,
  export: benchExport,
  scan: () => each(['ntfs', 'ext4', 'exfat', 'fat32'], benchMany),
  large: benchLarge,
  planning: benchPlanning,
  carried: benchCarried,
  between: benchBetween,
  retire: benchRetire,
  merge: () => each(['ntfs', 'exfat', 'ext4'], benchMerge),
  honest: benchHonest,
};

const asked = process.argv.slice(2);
const unknown = asked.filter((name) => !(name in AREAS));
if (unknown.length > 0) throw new Error(`${unknown.join(', ')}: the areas are ${Object.keys(AREAS).join(', ')}`);
execFileSync('node', ['scripts/readers.mjs'], { stdio: 'inherit' });
try {
  for (const [name, bench] of Object.entries(AREAS)) if (asked.length === 0 || asked.includes(name)) await bench();
} finally {
  rmSync(box, { recursive: true, force: true });
}
const worse = writePerformance(figures());
console.log(worse.length > 0 ? ['', 'Worse than the time before:', ...worse].join('\n') : '\nNothing got worse.');
