/** What the beginning of a disk tells of its length: the way to know something that was made to fill whatever unpacks it. */
import { isZeros } from '@/core/bytes';
import { MemoryDevice } from '@/core/device';
import { probeFileSystem } from '@/core/fs';
import { hasBootSignature, isGptHeader, looksLikeTable, parseMbr } from '@/core/table';

const GIB = 1024 ** 3;
/** A blank disk tells nothing; nobody packs a large one. */
const MOST_BLANK = GIB;
/** A disk may be longer than its table reaches: an image on larger media, room behind the last volume. */
const SLACK = 4;
const MOST = 64 * 1024 * GIB;
/** UEFI 2.10 §5.3.2: the LBA of the other copy of the header, at 32. */
const ALTERNATE_LBA = 32;

/** The most bytes that a disk may have which begins with `head`, or undefined when no disk does. */
export async function mostBytesFor(head: Uint8Array): Promise<number | undefined> {
  if (isZeros(head)) return MOST_BLANK;
  for (const sectorSize of [512, 4096]) {
    const header = head.subarray(sectorSize, 2 * sectorSize);
    if (header.length === sectorSize && isGptHeader(header)) return slackened((alternateLba(header) + 1) * sectorSize);
  }
  if (head.length < 512) return undefined;
  if (hasBootSignature(head) && looksLikeTable(head)) {
    const { entries } = parseMbr(head.subarray(0, 512), Number.MAX_SAFE_INTEGER);
    const sectors = Math.max(0, ...entries.map((e) => e.startLba + e.lengthSectors));
    // Sectors of 4096 bytes can't be told from here.
    if (sectors > 0) return slackened(sectors * 4096);
  }
  const device = new MemoryDevice(head.slice(0, Math.floor(head.length / 512) * 512));
  const known = await probeFileSystem(device).catch(() => undefined);
  return known || hasBootSignature(head) ? MOST : undefined;
}

function alternateLba(header: Uint8Array): number {
  return Number(new DataView(header.buffer, header.byteOffset).getBigUint64(ALTERNATE_LBA, true));
}

const slackened = (bytes: number): number => Math.min(MOST, bytes * SLACK + GIB);
