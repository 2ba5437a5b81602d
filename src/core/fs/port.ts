/**
 * The FileSystem port: what a driver is, what an open volume can be asked, and what a driver may do to a disk.
 *
 * A driver declares its abilities as data and the plan reads them; nothing outside a driver knows its name. No driver
 * writes to a device: it reads one, and yields writes into a {@link Transaction}. All offsets and lengths are bytes
 * from the start of the volume unless a name says otherwise.
 */
import type { BlockDevice } from '@/core/device';
import type { Finding } from '@/core/errors';
import type { EntryDetails, FileEntry, FileTimes } from './entry';
import type { Abilities, Chosen, KindFacts } from './kind-facts';

/** A half-open byte range [start, end). */
export interface ByteRange {
  readonly start: number;
  readonly end: number;
}

/** What an open volume says of itself. Plain data. */
export interface VolumeInfo {
  readonly kind: string;
  readonly title: string;
  readonly label: string;
  /** As the field prints it: `1A2B-3C4D`. */
  readonly serial: string;
  readonly clusterSize: number;
  /** The size the file system claims, which may be less than its partition's. */
  readonly size: number;
  readonly used: number;
  readonly free: number;
  /** How many files and folders it can hold, where that is fixed until its size changes, and the bytes kept for each. */
  readonly entries?: { readonly total: number; readonly free: number; readonly each: number };
  /** Bytes that the root folder can have, where it has its place once and for all. */
  readonly rootBytes?: number;
  /** It was not shut down: what its journal holds yet is seen as if it were written, and a change writes it first. */
  readonly unsettled?: true;
  /** Stretches of it that are marked bad, in order. */
  readonly outOfUse?: readonly ByteRange[];
  /** Sectors before the volume as its boot sector has it, where the kind stores that. */
  readonly hiddenSectors?: number;
  /** Bytes before its first cluster, where they are not counted from its start. */
  readonly clustersFrom?: number;
  /** What two volumes must have the same of for one to take over the other's files, beside clusters; null where it can't. */
  readonly adoptionStyle?: string | null;
}

/** One thing that holds the floor up. Plain data. */
export interface FloorReason {
  readonly what: string;
  readonly bytes: number;
}

/** How small and how large a volume can be made, and why. Plain data. */
export interface SizeLimits {
  readonly floor: { readonly bytes: number; readonly reason: string; readonly holds: readonly FloorReason[] };
  readonly ceiling: { readonly bytes: number; readonly reason: string };
}

/** A stretch of a file's content in order: bytes on the volume, or zeros, or bytes in hand. */
export type ContentRun =
  | { readonly kind: 'at'; readonly offset: number; readonly length: number }
  | { readonly kind: 'zeros'; readonly length: number }
  | { readonly kind: 'bytes'; readonly bytes: Uint8Array };

/** What lies past a proposed end. Plain data. */
export interface Beyond {
  readonly bytes: number;
  /** Largest first, bounded. */
  readonly items: readonly { readonly path: string; readonly bytes: number }[];
}

/** Options of a change to an existing volume. */
export interface ChangeOptions {
  /** Go on although the check found errors that do not make the change itself unsafe. */
  readonly override?: boolean;
}

/** Files of another volume that are taken over where they lie. */
export interface Adoption {
  /** The volume that they are on. It lies behind this one on the same disk, and is no more afterwards. */
  readonly source: Volume;
  /** Bytes from the start of this volume to the start of the other one. */
  readonly offset: number;
  /** Bytes that this volume has afterwards, with all that the other one had. */
  readonly size: number;
  /** Folders that are made above all others, the topmost first. */
  readonly above: readonly { readonly path: string; readonly facts: NewFileFacts }[];
  /** Everything that is taken over, streams not among it, with where it comes to; folders before what is in them. */
  readonly entries: readonly { readonly entry: FileEntry; readonly to: string }[];
}

/** An open volume. It reads; changes go into a transaction and the volume is opened anew afterwards. */
export interface Volume {
  readonly info: VolumeInfo;
  check(): Promise<readonly Finding[]>;
  limits(): Promise<SizeLimits>;
  /** Ranges in use, sorted, joined, structures included. */
  allocation(): Promise<readonly ByteRange[]>;
  /** Structures that have their place once and for all, sorted; {@link Volume.retire} takes nothing off them. */
  immovable(): Promise<readonly ByteRange[]>;
  beyond(end: number): Promise<Beyond>;
  walk(): AsyncIterable<FileEntry>;
  content(entry: FileEntry): AsyncIterable<ContentRun>;
  details(entry: FileEntry): Promise<EntryDetails>;
  shrink(size: number, tx: Transaction, options?: ChangeOptions): Promise<void>;
  grow(size: number, tx: Transaction, options?: ChangeOptions): Promise<void>;
  relabel(label: string, tx: Transaction): Promise<void>;
  /**
   * Takes places out of use: what lies on them is carried elsewhere, and their clusters are marked as bad. What is
   * {@link Volume.immovable} stays where it is.
   * @throws CoreError `fs.full` where there is not the room
   */
  retire(places: readonly ByteRange[], tx: Transaction, options?: ChangeOptions): Promise<void>;
  /** Writes what its journal holds yet, where it is not settled. */
  settle(tx: Transaction): Promise<void>;
  /** Grows over another volume and takes its files over where they lie. @throws CoreError `fs.ability` where it can't */
  adopt(adoption: Adoption, tx: Transaction, options?: ChangeOptions): Promise<void>;
  /** Makes it another volume: an identity of its own, made of a 32-bit number. */
  identify(serial: number, tx: Transaction): Promise<void>;
  /** Sets what depends on where the volume starts. */
  rebase(startLba: number, tx: Transaction): Promise<void>;
  /** Has the system that the volume belongs to check it at its next start. */
  markForCheck(tx: Transaction): Promise<void>;
  writer(tx: Transaction): Promise<VolumeWriter>;
}

/** What goes into a new file. */
export type NewContent =
  | { readonly kind: 'bytes'; readonly bytes: Uint8Array }
  | { readonly kind: 'procedural'; readonly seed: number; readonly size: number }
  /** What stands on another device; its runs come to as many bytes, and are gone through once. */
  | {
      readonly kind: 'from';
      readonly device: BlockDevice;
      readonly runs: AsyncIterable<ContentRun>;
      readonly size: number;
    };

/** Where a new file's clusters go. */
interface Placement {
  /** 0 for the start of the volume, up to 1 for its end. */
  readonly near?: number;
  /** Into how many pieces the file is cut, where the room allows it. Default 1. */
  readonly fragments?: number;
}

/** What is stored beside a new file's content. */
export interface NewFileFacts extends EntryDetails {
  readonly times?: FileTimes;
  readonly attributes?: readonly string[];
  readonly placement?: Placement;
  /** Named streams beside the content, where the kind has them. */
  readonly streams?: readonly { readonly name: string; readonly content: NewContent }[];
}

/** Adds to a volume. Nothing shows on it before {@link VolumeWriter.finish} and the transaction's commit. */
export interface VolumeWriter {
  mkdir(path: string, facts?: NewFileFacts): Promise<void>;
  writeFile(path: string, content: NewContent, facts?: NewFileFacts): Promise<void>;
  /** Another name for a file that is there. @throws CoreError `fs.ability` where the kind has no such thing */
  hardLink(path: string, existing: string): Promise<void>;
  /** Takes an entry away, and everything below it. What it had in use is given to nothing that this writer adds. */
  remove(path: string): Promise<void>;
  finish(): Promise<void>;
}

/** What a new volume is to be. */
export interface MakeOptions {
  readonly kind: string;
  readonly label: string;
  readonly clusterSize?: number;
  /** A 32-bit number; the same options give the same bytes. */
  readonly serial: number;
  readonly startLba: number;
  readonly format?: 'quick' | 'full';
  /** What was chosen of what its kind offers, and is valid. */
  readonly chosen?: Chosen;
}

/** Something that is damaged and follows from something else, with the bytes that mend it. Plain data. */
export interface Mend {
  readonly offset: number;
  readonly bytes: Uint8Array;
  /** What is mended, as a sentence calls it: `the boot sector`. */
  readonly what: string;
  /** What it is mended from. */
  readonly from: string;
  /** What stays unsure. */
  readonly unsure?: string;
}

/** A place at which a volume may begin, told by something that stands on it. */
export interface Trace {
  readonly start: number;
  /** Bytes of the whole volume, where what was found says so. */
  readonly length: number;
}

/** A file-system driver. */
export interface FileSystemDriver {
  readonly name: string;
  readonly kinds: readonly KindFacts[];
  readonly abilities: Abilities;
  /** The kind of file system that begins at the device's start, by bounded reading. */
  probe(device: BlockDevice): Promise<string | undefined>;
  /** @throws CoreError `fs.unknown` or `fs.damaged` */
  open(device: BlockDevice): Promise<Volume>;
  /** The kind that the volume at the device's start calls itself in words, however little sense the rest makes. */
  named?(device: BlockDevice): Promise<string | undefined>;
  /** Bytes that the volume at the device's start says it needs, which may be more than there are; undefined for none. */
  claims(device: BlockDevice): Promise<number | undefined>;
  /**
   * What is damaged on a volume of its kinds and has a second copy, or follows from something else; nothing where nothing
   * is, or where nobody can be sure.
   */
  mends(device: BlockDevice): Promise<readonly Mend[]>;
  /** Whether what begins at an index of some bytes may be a trace: asked of every sector of a disk, so that it looks at few. */
  mayTrace(bytes: Uint8Array, index: number): boolean;
  /**
   * Where a volume begins, and how long it is, if what begins at `at` is its boot sector, its superblock, or a copy of these.
   * @param block at least 1024 bytes, offsets count from where `at` counts from; what it tells may be before 0
   */
  traces(block: Uint8Array, at: number): readonly Trace[];
  /** Makes a volume as large as the device. All of it is free to the transaction. */
  make(device: BlockDevice, options: MakeOptions, tx: Transaction): Promise<void>;
}

/**
 * How a driver changes a volume. Direct operations act at once and only on bytes that are free before and after the
 * change; everything else is gathered and takes effect as a whole. Buffers are borrowed for the call.
 */
export interface Transaction {
  /** Reads, seeing what was gathered so far. */
  read(offset: number, into: Uint8Array): Promise<void>;
  /** Gathers a write. */
  write(offset: number, from: Uint8Array): Promise<void>;
  /** Copies at once. @throws RangeError when the target is live */
  copy(from: number, to: number, length: number): Promise<void>;
  /** Copies at once from another device, by reference where that can be. @throws RangeError when the target is live */
  copyFrom(device: BlockDevice, from: number, to: number, length: number): Promise<void>;
  /** Writes at once. @throws RangeError when the target is live */
  writeFree(offset: number, from: Uint8Array): Promise<void>;
  /** Puts procedural content at once. @throws RangeError when the target is live */
  placeFree(offset: number, length: number, seed: number, at: number): Promise<void>;
  /** Zeroes at once. @throws RangeError when the target is live */
  clearFree(offset: number, length: number): Promise<void>;
}
