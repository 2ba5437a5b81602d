/** A raw image in parts, `.001` and so on: one behind the other they are the disk. */
import { CoreError } from '@/core/errors';
import { floorTo, MIB } from '@/core/size';
import { refuseImage } from './blocks';
import type { ByteSource } from './image-device';

const MOST_PARTS = 999;

/** Sources one behind the other as one. */
export function joined(name: string, parts: readonly ByteSource[]): ByteSource {
  const starts: number[] = [];
  let size = 0;
  for (const part of parts) {
    starts.push(size);
    size += part.size;
  }
  return {
    name,
    size,
    read: async (offset, into) => {
      let at = parts.findLastIndex((_, i) => starts[i]! <= offset);
      for (let done = 0; done < into.length; at++) {
        const from = offset + done - starts[at]!;
        const length = Math.min(parts[at]!.size - from, into.length - done);
        if (length > 0) await parts[at]!.read(from, into.subarray(done, done + length));
        done += Math.max(0, length);
      }
    },
    *occupied() {
      for (const [i, part] of parts.entries())
        for (const { start, end } of part.occupied?.() ?? [{ start: 0, end: part.size }])
          if (start < end) yield { start: starts[i]! + start, end: starts[i]! + end };
    },
  };
}

const LEAST_PART = MIB;

/**
 * Where a disk is cut into parts of a size, down to whole sectors.
 * @throws CoreError `image.parts` where they would be too short, or too many to be opened again
 */
export function cutIntoParts(
  { size, sectorSize }: { readonly size: number; readonly sectorSize: number },
  partSize: number,
): { start: number; end: number }[] {
  const length = floorTo(partSize, sectorSize);
  const refuse = (reason: string): never => {
    throw new CoreError('image.parts', { reason });
  };
  if (!(length >= LEAST_PART)) refuse('a part has at least 1 MiB');
  const count = Math.ceil(size / length);
  if (count > MOST_PARTS) refuse(`there would be ${count} of them, and ${MOST_PARTS} are the most`);
  return Array.from({ length: count }, (_, i) => ({ start: i * length, end: Math.min(size, (i + 1) * length) }));
}

const FIRST = /\.001$/;

/** Whether a name is that of the first of several parts. */
export const isFirstPart = (name: string): boolean => FIRST.test(name);

/** What the part of a number is called, where the first is called `name`. */
export const partName = (name: string, number: number): string =>
  name.replace(FIRST, `.${String(number).padStart(3, '0')}`);

/**
 * An image in parts, from the first of them on; the last is the one behind which there is none.
 * @param beside opens a part by its name, or gives undefined where there is none
 * @throws CoreError `image.container` where a part in between is shorter than the first
 */
export async function openParts(
  first: ByteSource,
  beside: (name: string) => Promise<ByteSource | undefined>,
): Promise<ByteSource> {
  const parts = [first];
  const own = first.name.slice(first.name.lastIndexOf('/') + 1);
  for (let number = 2; number <= MOST_PARTS; number++) {
    const part = await beside(partName(own, number));
    if (!part) break;
    if (parts.at(-1)!.size !== first.size) refuseImage(first.name, `its part ${number - 1} is shorter than the first`);
    parts.push(part);
  }
  return parts.length === 1 ? first : joined(first.name, parts);
}
