/** What a driver declares of its kinds as data, so that nothing outside it knows their names. */
import type { EntryDetails, EntryKind, FileTimes, Kept } from './entry';

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
  /** Has marks for clusters that must not be used. */
  readonly retire: boolean;
}

/** What a driver does that can do all there is. */
export const EVERYTHING: Abilities = {
  check: true,
  shrink: true,
  grow: true,
  make: true,
  relabel: true,
  write: true,
  mark: true,
  retire: true,
};

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
  /** Whether a volume of such clusters keeps files compressed; in units as large as holes are. */
  compresses?(clusterSize: number): boolean;
  /** Names that differ in case alone are different names. */
  readonly caseSensitive?: true;
  /** Files of another volume of the kind can be taken over where they lie, where clusters line up. */
  readonly adopts?: true;
  /** Bytes that such a volume may need or leave unused as it grows over another, beside what both have in use. */
  adoptionLoses?(clusterSize: number): number;
  readonly linkTo?: LinkMaking;
  /** Why a name can't be that of an entry, or undefined when it can. */
  nameFault(name: string): 'letters' | 'length' | undefined;
  /** Times as they come out once they have been stored. */
  storedTimes(times: FileTimes): FileTimes;
  /** Bytes that an entry with a name of so many letters takes beside its content, at most. */
  entryBytes(nameLength: number): number;
  /** Bytes by which structures may grow ahead of what is asked of them. */
  readonly ahead?: number;
  /** What a folder can hold, and the root where that is fixed, in bytes as names take them; none where that has no end. */
  readonly folderRoom?: { readonly most: number; readonly root?: number; takes(name: string): number };
  /** How many files and folders a new volume can hold at least, where its size decides that. */
  entries?(size: number, clusterSize: number, chosen?: Chosen): number;
  /** Bytes that the structures of a new volume take, at most. */
  structures(size: number, sectorSize: number, clusterSize: number, chosen?: Chosen): number;
}

/** The word of a file that is stored compressed. */
export const COMPRESSED = 'compressed';

/** What a volume of a kind holds where its clusters are so large. */
export function holdingsWith({ holds }: Pick<KindFacts, 'holds'>, clusterSize: number): Holdings {
  if (!holds.compresses || holds.compresses(clusterSize)) return holds;
  return {
    ...holds,
    keeps: holds.keeps.filter((what) => what !== 'compression'),
    attributes: holds.attributes.filter((word) => word !== COMPRESSED),
  };
}

/** What a driver opens, and what it can do to that. */
export interface KindsOfDriver {
  readonly kinds: readonly KindFacts[];
  readonly abilities: Abilities;
}

/** What a kind of volume can be asked to do. */
export function abilitiesIn({ kinds, abilities }: KindsOfDriver, kind: string): Abilities {
  const lacks = kinds.find((k) => k.kind === kind)?.lacks ?? [];
  return lacks.reduce((left, ability) => ({ ...left, [ability]: false }), abilities);
}
