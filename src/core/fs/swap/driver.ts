/**
 * Swap areas of Linux: made, moved, resized, labelled. Nothing of what is in one is of use once its system is shut down,
 * unless that sleeps: then all of it is in use.
 */
import type { BlockDevice } from '@/core/device';
import { CoreError, type Finding } from '@/core/errors';
import { KIB, MIB } from '@/core/size';
import { formatUuid, parseUuid, uuidOf } from '../uuid';
import type { EntryDetails, FileEntry } from '../entry';
import type {
  Beyond,
  ByteRange,
  ContentRun,
  FileSystemDriver,
  MakeOptions,
  SizeLimits,
  Transaction,
  Volume,
  VolumeInfo,
  VolumeWriter,
} from '../port';
import { NO_TRACES, whereSound } from '../mending';
import { LEAST, normaliseSwapLabel, PAGE, SWAP, SWAP_KIND, SWAP_TITLE as TITLE } from './kinds';
import { changedHeader, headerIn, isVersioned, newHeader, PAGE_SIZES, readHeader, type SwapHeader } from './header';

const LEAST_PAGES = 10;
const CLEAR_CHUNK = 8 * MIB;

const unable = (ability: string): CoreError => new CoreError('fs.ability', { fileSystem: TITLE, ability });

class SwapVolume implements Volume {
  readonly info: VolumeInfo;

  constructor(private readonly header: SwapHeader) {
    const { pageSize, lastPage, uuid, label, sleeping } = header;
    const size = (lastPage + 1) * pageSize;
    const used = sleeping ? size : pageSize;
    const about = { label, serial: formatUuid(uuid), clusterSize: pageSize };
    this.info = { kind: 'swap', title: TITLE, ...about, size, used, free: size - used };
  }

  async check(): Promise<readonly Finding[]> {
    if (!this.header.sleeping) return [];
    const message = 'A system that sleeps has its memory here: changed, it could not wake up.';
    return [{ severity: 'error', code: 'swap.sleeping', message, overridable: true }];
  }

  async limits(): Promise<SizeLimits> {
    const { pageSize, sleeping } = this.header;
    const size = this.info.size;
    const least = Math.min(size, Math.max(LEAST, LEAST_PAGES * pageSize));
    const most = 2 ** 32 * pageSize;
    return {
      floor: {
        bytes: sleeping ? size : least,
        reason: sleeping ? 'a system that sleeps has its memory here' : 'a swap area has at least a megabyte',
        holds: [
          { what: 'its header', bytes: pageSize },
          { what: 'the least that is of use', bytes: least - pageSize },
        ],
      },
      ceiling: { bytes: most, reason: 'pages are counted in 32 bits' },
    };
  }

  async allocation(): Promise<readonly ByteRange[]> {
    return [{ start: 0, end: this.info.used }];
  }

  async immovable(): Promise<readonly ByteRange[]> {
    return this.allocation();
  }

  async beyond(end: number): Promise<Beyond> {
    const bytes = Math.max(0, this.info.used - end);
    return { bytes, items: bytes > 0 ? [{ path: '(memory of a system that sleeps)', bytes }] : [] };
  }

  async *walk(): AsyncGenerator<FileEntry> {}

  async *content(entry: FileEntry): AsyncGenerator<ContentRun> {
    throw new CoreError('fs.not-found', { path: entry.path });
  }

  async details(): Promise<EntryDetails> {
    return {};
  }

  async #write(change: Parameters<typeof changedHeader>[1], tx: Transaction): Promise<void> {
    await tx.write(0, changedHeader(this.header, change));
  }

  shrink(size: number, tx: Transaction): Promise<void> {
    return this.#write({ lastPage: Math.floor(size / this.header.pageSize) - 1 }, tx);
  }

  grow(size: number, tx: Transaction): Promise<void> {
    return this.shrink(size, tx);
  }

  relabel(label: string, tx: Transaction): Promise<void> {
    return this.#write({ label: normaliseSwapLabel(label) }, tx);
  }

  async retire(): Promise<void> {
    throw unable('take places out of use');
  }

  async settle(): Promise<void> {}

  async adopt(): Promise<void> {
    throw unable('take over files');
  }

  identify(serial: number, tx: Transaction): Promise<void> {
    return this.#write({ uuid: uuidOf(serial) }, tx);
  }

  async rebase(): Promise<void> {}

  async markForCheck(): Promise<void> {
    throw unable('be checked by its system');
  }

  async writer(): Promise<VolumeWriter> {
    throw unable('take files');
  }
}

async function open(device: BlockDevice): Promise<Volume> {
  const header = device.size < PAGE ? undefined : await readHeader(device);
  if (!header) throw new CoreError('fs.unknown', { offset: 0 });
  return new SwapVolume(header);
}

async function make(device: BlockDevice, options: MakeOptions, tx: Transaction): Promise<void> {
  const { size } = device;
  const { clusterSize = PAGE, label, serial, format, chosen } = options;
  if (!SWAP_KIND.clusterSizes(size, device.sectorSize).includes(clusterSize))
    throw new CoreError('fs.cluster-size', {
      fileSystem: TITLE,
      clusterSize,
      size,
      reason: `pages have ${PAGE / KIB} KiB, and an area at least a megabyte`,
    });
  const uuid = typeof chosen?.uuid === 'string' ? parseUuid(chosen.uuid) : uuidOf(serial);
  // What was there before must not be found beside it.
  const cleared = format === 'full' ? size : Math.min(size, MIB);
  for (let at = 0; at < cleared; at += CLEAR_CHUNK) await tx.clearFree(at, Math.min(CLEAR_CHUNK, cleared - at));
  await tx.write(0, newHeader(PAGE, Math.floor(size / PAGE) - 1, uuid, normaliseSwapLabel(label)));
}

export const swapDriver: FileSystemDriver = {
  name: TITLE,
  ...SWAP,
  async probe(device) {
    if (device.size < PAGE) return undefined;
    try {
      return (await readHeader(device)) ? 'swap' : undefined;
    } catch (error) {
      // What makes no sense is told when it is opened.
      if (error instanceof CoreError && error.code === 'fs.damaged') return 'swap';
      throw error;
    }
  },
  open,
  async claims(device) {
    const head = await device.bytes(0, Math.min(device.size, PAGE_SIZES.at(-1)!));
    return claimedBy(head);
  },
  // Its header is one page, and there is no other.
  mends: async () => [],
  mayTrace: isVersioned,
  traces(block, at) {
    const length = claimedBy(block);
    return length === undefined ? NO_TRACES : [{ start: at, length }];
  },
  make,
};

function claimedBy(head: Uint8Array): number | undefined {
  const header = whereSound(() => headerIn(head, Number.MAX_SAFE_INTEGER));
  return header && (header.lastPage + 1) * header.pageSize;
}
