/** A file in which a run may set volumes aside. It is there only while a run needs it. */
import type { Survey } from '@/core/inspect';
import { placesElsewhere, type Plan, type Scratch } from '@/core/plan';
import { existsSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { basename, resolve } from 'node:path';
import { UsageError } from '../output';
import { FileDevice } from './file-device';

/** Room in a file that is yet to be made, as much as the whole disk could ask for. */
export function scratchIn(path: string | undefined, survey: Survey): readonly Scratch[] {
  if (path === undefined) return [];
  const { size, sectorSize } = survey;
  return [{ disk: resolve(path), name: basename(path), start: 0, length: size, sectorSize }];
}

/** Makes the files of a plan. @throws UsageError rather than write over one that is there */
export async function makeScratch(plan: Plan, sectorSize: number): Promise<void> {
  for (const [path, size] of placesElsewhere(plan)) {
    if (existsSync(path)) throw new UsageError(`${path} exists already; name a file for --scratch that does not.`);
    const whole = Math.ceil(size / sectorSize) * sectorSize;
    await (await FileDevice.create(path, whole, sectorSize)).close();
  }
}

/** The files of a plan that are there, opened. The caller closes them. */
export async function openScratch(plan: Plan, sectorSize: number): Promise<Map<string, FileDevice>> {
  const out = new Map<string, FileDevice>();
  for (const path of placesElsewhere(plan).keys())
    if (existsSync(path)) out.set(path, await FileDevice.open(path, sectorSize));
  return out;
}

/** Takes the files of a plan away. */
export async function removeScratch(plan: Plan): Promise<void> {
  for (const path of placesElsewhere(plan).keys()) await rm(path, { force: true });
}
