/** What the files of a volume are like, as advice needs to know it: one pass over a walk. */
import type { FileEntry } from '@/core/fs';
import { KIB, MIB } from '@/core/size';

/** A folder or a file with what it holds. Bytes. */
export interface SpaceItem {
  readonly path: string;
  readonly bytes: number;
  readonly files: number;
}

/** What clusters of one size waste behind the ends of files. Bytes. */
export interface Slack {
  readonly clusterSize: number;
  readonly bytes: number;
}

/** Plain data. */
export interface FileFacts {
  readonly files: number;
  readonly bytes: number;
  readonly largest: SpaceItem | undefined;
  readonly longestName: number;
  readonly slack: readonly Slack[];
  /** Largest first, bounded: folders at the top and below them, and single files. */
  readonly folders: readonly SpaceItem[];
  readonly biggest: readonly SpaceItem[];
}

const CLUSTER_SIZES = [512, KIB, 2 * KIB, 4 * KIB, 8 * KIB, 16 * KIB, 32 * KIB, 64 * KIB, 128 * KIB, 256 * KIB, MIB];
const MOST_ITEMS = 40;
const FOLDER_DEPTH = 2;

/** Gathers the facts; memory is that of the folders down to the second level. */
export async function gatherFacts(walk: AsyncIterable<FileEntry>): Promise<FileFacts> {
  const slack = new Float64Array(CLUSTER_SIZES.length);
  const folders = new Map<string, { bytes: number; files: number }>();
  const biggest = new Largest();
  let [files, bytes, longestName] = [0, 0, 0];
  for await (const { kind, path, size } of walk) {
    longestName = Math.max(longestName, path.length - path.lastIndexOf('/') - 1);
    if (kind === 'folder') continue;
    files += 1;
    bytes += size;
    biggest.offer({ path, bytes: size, files: 1 });
    for (let i = 0; i < slack.length; i++)
      slack[i]! += (CLUSTER_SIZES[i]! - (size % CLUSTER_SIZES[i]!)) % CLUSTER_SIZES[i]!;
    let cut = -1;
    for (let depth = 0; depth < FOLDER_DEPTH; depth++) {
      cut = path.indexOf('/', cut + 1);
      if (cut < 0) break;
      const folder = path.slice(0, cut);
      const known = folders.get(folder);
      if (known) {
        known.bytes += size;
        known.files += 1;
      } else folders.set(folder, { bytes: size, files: 1 });
    }
  }
  const items = [...folders].map(([path, sums]): SpaceItem => ({ path, ...sums }));
  const top = biggest.items;
  return {
    files,
    bytes,
    largest: top[0],
    longestName,
    slack: CLUSTER_SIZES.map((clusterSize, i) => ({ clusterSize, bytes: slack[i]! })),
    folders: items.sort((a, b) => b.bytes - a.bytes).slice(0, MOST_ITEMS),
    biggest: top,
  };
}

/** The largest of many, in a list that stays short. */
class Largest {
  #items: SpaceItem[] = [];
  #least = -1;

  offer(item: SpaceItem): void {
    if (item.bytes <= this.#least) return;
    this.#items.push(item);
    if (this.#items.length < 2 * MOST_ITEMS) return;
    this.#items = this.items;
    this.#least = this.#items.at(-1)!.bytes;
  }

  get items(): SpaceItem[] {
    return [...this.#items].sort((a, b) => b.bytes - a.bytes).slice(0, MOST_ITEMS);
  }
}
