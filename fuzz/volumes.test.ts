/** Mutated images: no hang, no untyped error, no write, whatever is asked of them. */
import { rounds } from '@/core/fixtures/rounds';
import { MemoryDevice, PatchedDevice, type BlockDevice } from '@/core/device';
import { isCoreError } from '@/core/errors';
import { surveyDisk } from '@/core/inspect';
import { parseTarget, resolveTarget } from '@/core/job';
import { derivePlan } from '@/core/plan';
import { seededRandom } from '@/core/practice';
import { buildStick } from '@/core/run/fixtures/sticks';
import { makeVolume, fillRandomly, openVolume } from '@/core/fs/fixtures/volumes';
import { takeManifest } from '@/core/proof';
import { StepTransaction } from '@/core/run/step-transaction';
import { driverOf, probeFileSystem, tracesIn } from '@/core/fs';
import { Session } from '@/core/session';
import { describe, expect, it } from 'vitest';

const MIB = 1024 * 1024;
const CASES = rounds(70, 2500);
const MENDED = rounds(20, 1000);

/** A device that fails the test when it is written. */
class Sealed extends MemoryDevice {
  protected override async writeAt(): Promise<void> {
    throw new TypeError('a mutated image was written');
  }
}

/** Flips, copies, zeroes or fills bytes, mostly where structures are. Returns what it did, to be undone. */
function mutate(bytes: Uint8Array, structures: number, random: () => number): { at: number; old: Uint8Array }[] {
  const undo: { at: number; old: Uint8Array }[] = [];
  const count = 1 + Math.floor(random() ** 2 * 12);
  for (let i = 0; i < count; i++) {
    const within = random() < 0.3 ? 96 : random() < 0.8 ? structures : bytes.length;
    const length = random() < 0.7 ? 1 + Math.floor(random() * 4) : 1 + Math.floor(random() * 64);
    const at = Math.floor(random() * (Math.min(within, bytes.length) - length));
    undo.push({ at, old: bytes.slice(at, at + length) });
    const kind = random();
    for (let j = 0; j < length; j++) bytes[at + j] = kind < 0.6 ? Math.floor(random() * 256) : kind < 0.8 ? 0 : 0xff;
  }
  return undo;
}

function restore(bytes: Uint8Array, undo: { at: number; old: Uint8Array }[]): void {
  for (const { at, old } of undo.reverse()) bytes.set(old, at);
}

/** Everything that reads, and every change up to the point where it would be applied. */
async function exercise(device: BlockDevice): Promise<void> {
  const survey = await surveyDisk(device);
  for (const volume of survey.volumes) {
    const size = Math.floor(volume.length / 2 / 512) * 512;
    const target = parseTarget({
      volumes: survey.volumes.map((v) => (v === volume ? { keep: v.number, size: `${size} B` } : { keep: v.number })),
    });
    derivePlan(survey, resolveTarget(survey, target).layout, { override: true });
  }
}

async function exerciseVolume(device: BlockDevice): Promise<void> {
  const probed = await probeFileSystem(device);
  if (!probed) return;
  const volume = await probed.driver.open(device);
  await volume.check();
  const { floor } = await volume.limits();
  await volume.beyond(volume.info.size / 2);
  for await (const entry of takeManifest(volume, device)) expect(entry.path.length).toBeLessThan(200_000);
  // Direct copies would write, so the change is tried with nothing to carry: every cluster counts as live.
  const tx = new StepTransaction(device, 0, [{ start: 0, end: device.size }]);
  await volume.shrink(floor.bytes, tx, { override: true }).catch((error: unknown) => {
    if (error instanceof RangeError && /are live/.test(error.message)) return;
    throw error;
  });
}

async function typed(seed: number, act: () => Promise<void>): Promise<void> {
  try {
    await act();
  } catch (error) {
    if (!isCoreError(error)) throw new Error(`seed ${seed}: ${(error as Error).stack}`, { cause: error });
  }
}

/** Does something to a volume with bytes of its structures changed, in as many ways as there are seeds. */
async function eachMutated(
  { bytes, structures, cases }: { bytes: Uint8Array; structures: number; cases: number },
  act: () => Promise<void>,
): Promise<void> {
  for (let seed = 0; seed < cases; seed++) {
    const undo = mutate(bytes, structures, seededRandom(seed));
    await typed(seed, act);
    restore(bytes, undo);
  }
}

describe('mutated volumes', () => {
  it.each([
    ['exfat', 4 * MIB, 150_000],
    ['fat12', 2 * MIB, 40_000],
    ['fat16', 20 * MIB, 90_000],
    ['fat32', 40 * MIB, 700_000],
    ['ext4', 8 * MIB, 700_000],
    ['ext2', 4 * MIB, 500_000],
    ['swap', 1 * MIB, 4096],
  ])('%s', async (kind, size, structures) => {
    const source = await makeVolume({ kind, size, ...(kind === 'fat32' ? { clusterSize: 512 } : {}) });
    if (kind !== 'swap') await fillRandomly(kind, source, 5, 0.15);
    const bytes = await source.bytes(0, size);
    const device = new Sealed(bytes);
    expect(await (await openVolume(kind, device)).check()).toEqual([]);
    await eachMutated({ bytes, structures, cases: CASES }, () => exerciseVolume(device));
    expect(await (await openVolume(kind, device)).check()).toEqual([]);
  });
});

describe('mutated NTFS volumes', () => {
  it('in boot sector, records, runlists and indexes', async () => {
    const size = 8 * MIB;
    const source = await makeVolume({ kind: 'ntfs', size, clusterSize: 4096 });
    await fillRandomly('ntfs', source, 5, 0.3);
    const bytes = await source.bytes(0, size);
    const device = new Sealed(bytes);
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
    await eachMutated({ bytes, structures: 90_000, cases: 4 * CASES }, () => exerciseVolume(device));
    expect(await (await openVolume('ntfs', device)).check()).toEqual([]);
  });
});

/** Errors of a volume as it is, or undefined where it does not open. */
async function errorsOf(kind: string, device: BlockDevice): Promise<number | undefined> {
  try {
    const findings = await (await openVolume(kind, device)).check();
    return findings.filter((f) => f.severity === 'error').length;
  } catch (error) {
    if (isCoreError(error)) return undefined;
    throw error;
  }
}

describe('mending mutated volumes', () => {
  it.each([
    ['fat32', 40 * MIB, 20_000],
    ['fat16', 20 * MIB, 60_000],
    ['exfat', 4 * MIB, 20_000],
    ['ntfs', 8 * MIB, 90_000],
    ['ext4', 20 * MIB, 60_000],
    ['ext2', 20 * MIB, 60_000],
  ])('makes %s no worse, ends, and writes nothing', async (kind, size, structures) => {
    const source = await makeVolume({ kind, size, ...(kind === 'fat32' ? { clusterSize: 512 } : {}) });
    await fillRandomly(kind, source, 5, 0.1);
    const bytes = await source.bytes(0, size);
    const device = new Sealed(bytes);
    await eachMutated({ bytes, structures, cases: MENDED }, async () => {
      const before = await errorsOf(kind, device);
      const mends = await driverOf(kind)!.mends(device);
      const after = await errorsOf(kind, new PatchedDevice(device, mends));
      if (before !== undefined && (after === undefined || after > before))
        throw new Error(`${before} errors became ${after}: ${mends.map((m) => m.what).join()}`);
      for (let at = 0; at < 65_536; at += 512) tracesIn(bytes, at, at, 65_536);
    });
  });
});

describe('mutated disks', () => {
  it.each(['mbr', 'gpt'] as const)('with a table: %s', async (table) => {
    const volumes = ['A', 'B', 'C', 'D', 'E'].map((label) => ({ size: '3 MiB', fileSystem: 'fat12', label }));
    const { buffer } = await buildStick({ size: '24 MiB', table, volumes });
    const device = new Sealed(buffer);
    for (let seed = 0; seed < CASES; seed++) {
      const random = seededRandom(seed);
      const undo = mutate(buffer, table === 'gpt' ? 18_000 : 512, random);
      for (let i = 0; i < 3; i++) undo.push(...entryUndo(buffer, random));
      await typed(seed, () => exercise(device));
      if (seed % 10 === 0)
        await typed(seed, async () => void (await (await Session.open(device, 'disk', true)).find()));
      restore(buffer, undo);
    }
  });
});

/** Changes a byte of the table's entries. */
function entryUndo(bytes: Uint8Array, random: () => number): { at: number; old: Uint8Array }[] {
  const at = 446 + Math.floor(random() * 66);
  const old = bytes.slice(at, at + 1);
  bytes[at] = Math.floor(random() * 256);
  return [{ at, old }];
}
