/** What is on a FAT volume, in the bytes of its folders: names, sizes and times are read there when they are asked for. */
import { u32At } from '@/core/bytes';
import { dateToIso, stampToIso } from '../dos-time';
import type { FileEntry, FileTimes } from '../entry';
import { attributeWords, ENTRY, nameAt } from './directory';

/** A folder as it stands on the volume. */
export class FolderContent {
  constructor(
    /** Nothing for the root. */
    readonly node: FatNode | undefined,
    readonly depth: number,
    /** Up to its end mark. */
    readonly bytes: Uint8Array,
    /** Byte offsets of its parts, and how long each is. */
    private readonly parts: readonly number[],
    private readonly partLength: number,
  ) {}

  /** Byte offset on the volume of a byte index in the folder. */
  offsetOf(at: number): number {
    return this.parts[Math.floor(at / this.partLength)]! + (at % this.partLength);
  }
}

/** A file or folder. Its entry is put into words where that is asked for. */
export class FatNode implements FileEntry {
  /** Clusters of its chain that are its own. */
  clusters = 0;
  /** Whether a folder opens with the entries for itself and its parent. */
  dots = false;
  private known: string | undefined;

  constructor(
    /** Its index in {@link FatTree.nodes}. */
    readonly id: number,
    private readonly folder: FolderContent,
    private readonly at: number,
    private readonly slots: number,
    readonly kind: 'file' | 'folder',
    readonly firstCluster: number,
  ) {}

  get path(): string {
    return (this.known ??= this.spelled());
  }

  private spelled(): string {
    const { node, bytes } = this.folder;
    const name = nameAt(bytes, this.at, this.slots);
    return node ? `${node.path}/${name}` : name;
  }

  /** Index of its folder in {@link FatTree.nodes}, or -1 for the root. */
  get parent(): number {
    return this.folder.node?.id ?? -1;
  }

  /** Byte offset of its short entry on the volume. */
  get entryOffset(): number {
    return this.folder.offsetOf(this.at);
  }

  get size(): number {
    return this.kind === 'folder' ? 0 : u32At(this.folder.bytes, this.at + ENTRY.offsets.size);
  }

  get attributes(): readonly string[] {
    return attributeWords(this.folder.bytes[this.at + ENTRY.offsets.attributes]!);
  }

  get times(): FileTimes {
    const e = ENTRY.decode(this.folder.bytes, this.at);
    return {
      created: stampToIso({ date: e.createdDate, time: e.createdTime, hundredths: e.createdHundredths }),
      modified: stampToIso({ date: e.modifiedDate, time: e.modifiedTime }),
      accessed: dateToIso(e.accessedDate),
    };
  }
}
