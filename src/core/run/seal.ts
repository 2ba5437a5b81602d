/**
 * Seals of what a run has set aside on another disk: a digest of each piece as it lies there. Taken when the piece has
 * arrived, compared with what it came from, and compared again before the piece is used.
 */
import { copyAcross, type BlockDevice, type SourceRun } from '@/core/device';
import { CoreError } from '@/core/errors';
import type { ByteRange } from '@/core/fs';
import { portableHasher, type HasherFactory } from '@/core/proof';

const READ_CHUNK = 4 * 1024 * 1024;
const BY_SOURCE = 'source:';

/** A place on a device where a volume of some length begins. */
export interface CarryEnd {
  readonly device: BlockDevice;
  readonly start: number;
}

/** Where all bytes of the parts come from, joined, or undefined where that is not known without reading them. */
function sourcesOf({ device, start }: CarryEnd, parts: readonly ByteRange[]): SourceRun[] | undefined {
  const out: { seed: number; at: number; length: number }[] = [];
  for (const part of parts) {
    const sources = device.sources(start + part.start, part.end - part.start);
    if (!sources) return undefined;
    for (const source of sources) {
      const last = out.at(-1);
      if (last && last.seed === source.seed && last.at + last.length === source.at) last.length += source.length;
      else out.push({ ...source });
    }
  }
  return out;
}

async function digestBytes(
  { device, start }: CarryEnd,
  parts: readonly ByteRange[],
  hasher: HasherFactory,
): Promise<string> {
  const hash = await hasher();
  const buffer = new Uint8Array(READ_CHUNK);
  for (const part of parts) {
    for (let at = part.start; at < part.end; at += READ_CHUNK) {
      const bytes = buffer.subarray(0, Math.min(READ_CHUNK, part.end - at));
      await device.read(start + at, bytes);
      hash.update(bytes);
    }
  }
  return hash.digest();
}

async function sealOf(end: CarryEnd, parts: readonly ByteRange[], hasher: HasherFactory): Promise<string> {
  const sources = sourcesOf(end, parts);
  if (!sources) return digestBytes(end, parts, hasher);
  const hash = await hasher();
  hash.update(new TextEncoder().encode(JSON.stringify(sources)));
  return `${BY_SOURCE}${await hash.digest()}`;
}

/** Seals a piece that has arrived. @throws CoreError `run.elsewhere` when it is not what it came from */
export async function sealArrived(
  source: CarryEnd,
  arrived: CarryEnd,
  parts: readonly ByteRange[],
  name: string,
  hasher: HasherFactory = portableHasher,
): Promise<string> {
  const seal = await sealOf(arrived, parts, hasher);
  const expected = seal.startsWith(BY_SOURCE)
    ? await sealOf(source, parts, hasher)
    : await digestBytes(source, parts, hasher);
  if (seal !== expected)
    throw new CoreError('run.elsewhere', { name, reason: 'what arrived there is not what was sent' });
  return seal;
}

/** Compares a piece with its seal. @throws CoreError `run.elsewhere` when it is not what was put there */
export async function assertSealed(
  end: CarryEnd,
  parts: readonly ByteRange[],
  seal: string | undefined,
  name: string,
  hasher: HasherFactory = portableHasher,
): Promise<void> {
  if (seal === undefined || (await sealOf(end, parts, hasher)) !== seal)
    throw new CoreError('run.elsewhere', { name, reason: 'it is not what was put there' });
}

/** Copies the parts of a piece from one disk to another. */
export async function copyParts(source: CarryEnd, target: CarryEnd, parts: readonly ByteRange[]): Promise<void> {
  for (const { start, end } of parts)
    await copyAcross(source.device, source.start + start, target.device, target.start + start, end - start);
}
