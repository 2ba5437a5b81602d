/**
 * The FileSystem port: what a driver is, what an open volume can be asked, and what a driver may do to a disk.
 *
 * A driver declares its abilities as data and the plan reads them; nothing outside a driver knows its name. No driver
 * writes to a device: it reads one, and yields writes into a {@link Transaction}. All offsets and lengths are bytes
 * from the start of the volume unless a name says otherwise.
 */
import type { BlockDevice } from '@/core/device';
import type { Finding } from '@/core/errors';

/** What a driver can do to a volume of its kinds. */
export interface Abilities {
  readonly check: boolean;
  readonly shrink: boolean;
  readonly grow: boolean;
  readonly make: boolean;
  readonly relabel: boolean;
  readonly write: boolean;
  /** Has a mark that makes the system it belongs to check it at its next start. */
  readonly mark: boolean;
}

/** A choice for a new volume beside its label and its cluster size. Plain data. */
export type MakeChoice = {
  /** As targets name it. */
  readonly id: string;
  /** As people read it. */
  readonly title: string;
} & (
  | { readonly kind: 'switch' | 'uuid' }
  /** What is taken where nothing is chosen depends on the size. */
  | { readonly kind: 'number'; readonly least: number; readonly most: number; readonly unit: 'bytes' | '%' }
);

/** What was chosen, by the ids of the choices. */
export type Chosen = Readonly<Record<string, boolean | number | string>>;

/** A file-system kind a driver knows: what a form needs to offer it and a table needs to name it. */
export interface KindFacts {
  /** Stable lower-case id: `fat32`. */
  readonly kind: string;
  /** As people write it: `FAT32`. */
  readonly title: string;
  readonly minBytes: number;
  readonly maxBytes: number;
  readonly maxFileBytes: number;
  readonly maxLabelLength: number;
  /** Cluster sizes that are valid for a volume of this size, ascending; empty when the size does not suit the kind. */
  clusterSizes(size: number, sectorSize: number): readonly number[];
  /** The cluster size taken when none is chosen, or undefined when the size does not suit the kind. */
  defaultClusterSize(size: number, sectorSize: number): number | undefined;
  /** The MBR type code of a volume of this size. */
  mbrType(size: number): number;
  /** The label as it will be stored. @throws CoreError `fs.label` */
  normaliseLabel(label: string): string;
  readonly holds: Holdings;
  /** The systems that read it give no letters. */
  readonly unlettered?: true;
  readonly choices?: readonly MakeChoice[];
  /** Abilities of its driver that this kind has no place for. */
  readonly lacks?: readonly (keyof Abilities)[];
}

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
  /** It was not shut down: what its journal holds yet is seen as if it were written, and a change writes it first. */
  readonly unsettled?: true;
  /** Sectors before the volume as its boot sector has it, where the kind stores that. */
  readonly hiddenSectors?: number;
  /** Bytes before its first cluster, where they are not counted from its start. */
  readonly clustersFrom?: number;
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

/** Times as the file system stores them: ISO 8601, with a zone only where one is stored. */
export interface FileTimes {
  readonly created?: string;
  readonly modified?: string;
  readonly accessed?: string;
}

/** What an entry is: a link leads to another place, a special one is nothing that can be read as a file. */
export type EntryKind = 'file' | 'folder' | 'link' | 'special';

/**
 * One entry found on a volume; `id` is the driver's own handle for {@link Volume.content}, and the same for all names of
 * one file.
 */
export interface FileEntry {
  /** From the root, with `/` between names and none in front. */
  readonly path: string;
  readonly kind: EntryKind;
  /** The name of the stream, for one that stands beside a file's content. Its path is the file's, `:`, and this. */
  readonly stream?: string;
  readonly size: number;
  readonly times: FileTimes;
  readonly attributes: readonly string[];
  /** Whose it is, who may do what, and what else stands beside it, in short: the same where all of that is. */
  readonly beside?: string;
  readonly id: number;
}

/** What a kind of file system stores of an entry beside its content, its times and its attributes. */
export type Kept =
  | 'streams'
  | 'hard links'
  /** Reparse points, which lead wherever they say. */
  | 'links'
  /** Symbolic links, which are a path. */
  | 'path links'
  | 'special files'
  | 'rights'
  | 'owners'
  | 'extended attributes'
  | 'change times'
  | 'compression'
  | 'encryption';

/** What else is stored of an entry, as far as its kind has it. */
export interface EntryDetails {
  /** When anything of it was changed, where that is told apart from its content. */
  readonly changed?: string;
  /** Who may do what with it: a self-relative security descriptor. */
  readonly security?: Uint8Array;
  /** Whose it is, and who may do what with it: the bits of a mode that are not its type. */
  readonly owner?: { readonly mode: number; readonly user: number; readonly group: number };
  /** Named values beside it, each with its whole name. */
  readonly extended?: readonly { readonly name: string; readonly value: Uint8Array }[];
  /** The path that a symbolic link is. */
  readonly path?: Uint8Array;
  /** What a special file is, as the type of a mode has it, and the numbers of its device, as they are stored. */
  readonly special?: { readonly type: number; readonly device: Uint8Array };
  /** Where it leads, as its kind stores that, and whether that is to a folder. */
  readonly reparse?: Uint8Array;
  readonly folder?: boolean;
  /** The same as a person would be shown it. */
  readonly target?: string;
}

/** How a kind stores a link that leads to a path of another volume. */
interface LinkMaking {
  /** What its system finds the other volume by. */
  readonly by: 'letter' | 'label';
  /** Where it leads, as a person would write it. */
  words(volume: string, path: string): string;
  /** What is stored in the place of a folder. */
  facts(volume: string, path: string): Pick<EntryDetails, 'reparse' | 'path'>;
}

/** What entries of a kind of file system can be. */
export interface Holdings {
  readonly keeps: readonly Kept[];
  /** Words of attributes that it has. */
  readonly attributes: readonly string[];
  /** What is stored beside an entry that comes from a kind which has nothing of the sort, as {@link FileEntry.beside}. */
  newBeside?(kind: EntryKind): string;
  /** Sparse files keep their holes; each begins and ends at whole multiples of so many clusters. */
  readonly holeClusters?: number;
  /** Names that differ in case alone are different names. */
  readonly caseSensitive?: true;
  /** Files of another volume of the kind can be taken over where they lie, where clusters line up. */
  readonly adopts?: true;
  readonly linkTo?: LinkMaking;
  /** Why a name can't be that of an entry, or undefined when it can. */
  nameFault(name: string): 'letters' | 'length' | undefined;
  /** Times as they come out once they have been stored. */
  storedTimes(times: FileTimes): FileTimes;
  /** Bytes that an entry with a name of so many letters takes beside its content, at most. */
  entryBytes(nameLength: number): number;
  /** Bytes that the structures of a new volume take, at most. */
  structures(size: number, sectorSize: number, clusterSize: number, chosen?: Chosen): number;
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
  beyond(end: number): Promise<Beyond>;
  walk(): AsyncIterable<FileEntry>;
  content(entry: FileEntry): AsyncIterable<ContentRun>;
  details(entry: FileEntry): Promise<EntryDetails>;
  shrink(size: number, tx: Transaction, options?: ChangeOptions): Promise<void>;
  grow(size: number, tx: Transaction, options?: ChangeOptions): Promise<void>;
  relabel(label: string, tx: Transaction): Promise<void>;
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
