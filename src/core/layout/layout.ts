/**
 * A disk's layout as a value: which volumes lie where, now or planned. Frozen plain data that survives structured
 * clone; edits return new values. Offsets and lengths are bytes.
 */
import type { Chosen } from '@/core/fs';
import type { VolumeRef } from '@/core/place';
import type { TransferWish } from './transfer-edits';
import type { WipeWish } from './wipe-edits';
import { gptRoom, USUAL_ENTRIES, USUAL_ENTRY_SIZE, type VolumeFlag } from '@/core/table';

export type TableKind = 'none' | 'mbr' | 'gpt';

/** What a volume is there for. It decides its colour, and whether it is guarded. */
export type Role = 'system' | 'data' | 'firmware' | 'recovery' | 'foreign' | 'swap';

declare const volumeId: unique symbol;
/** The identity of a volume across edits. */
export type VolumeId = string & { readonly [volumeId]: true };

/** A volume that is copied: which one, and what of it decides what its copy can be. */
export interface CopyOrigin {
  readonly kind: 'copy';
  readonly of: VolumeRef;
  /** What the volume, and the disk it is on, are called in sentences. */
  readonly name: string;
  readonly diskName: string;
  /** Bytes that it has now, and how many of them are in use. */
  readonly length: number;
  readonly used: number;
  /** None where what it holds is not known, so that its copy is as long as it is. */
  readonly bounds?: VolumeBounds;
  /** A copy is another volume, unless it is to take the original's place. */
  readonly identity: 'new' | 'kept';
}

/** Where a planned volume comes from: the volume of that number as it is now, another volume, or nothing. */
type Origin = { readonly kind: 'kept'; readonly number: number } | CopyOrigin | { readonly kind: 'new' };

/** One volume of a layout. */
export interface LaidVolume {
  readonly id: VolumeId;
  readonly origin: Origin;
  readonly start: number;
  readonly length: number;
  /** A kind that a driver knows, or `unknown`. */
  readonly fileSystem: string;
  /** What it is recognised as, of one that is not open: damaged, or of a kind that no driver has. */
  readonly knownAs?: string;
  /** Undefined lets the driver choose when the volume is made. */
  readonly clusterSize?: number;
  /** What was chosen beside, for a volume that is made. */
  readonly chosen?: Chosen;
  readonly label: string;
  /** A single capital letter, or none. */
  readonly letter?: string;
  readonly role: Role;
  readonly active: boolean;
  /** The MBR type code; kept as found until the file system changes. 0 where there is none yet. */
  readonly type: number;
  /** In the chain of an extended partition, which is made and removed as it is needed. */
  readonly logical: boolean;
  /** A person's wish for a new volume: an entry of its own, or a place in the chain. */
  readonly placement?: 'primary' | 'logical';
  /** Marks of its table entry. */
  readonly flags: readonly VolumeFlag[];
  /** On a GUID table: type and own GUID as found; none for a new volume, which is given them by the plan. */
  readonly typeGuid?: string;
  readonly guid?: string;
  /** Its name in a GUID table, which is not its label. */
  readonly tableName?: string;
  /** Set when the volume is made anew where it stands; what it held is lost. */
  readonly format?: 'quick' | 'full';
  readonly guarded: boolean;
}

/** All volumes of a disk, by start. */
export interface Layout {
  readonly diskSize: number;
  readonly sectorSize: number;
  readonly table: TableKind;
  readonly volumes: readonly LaidVolume[];
  /** Bytes of the array of a GUID table; that of a new one when left out. */
  readonly tableEntries?: number;
  /** Set when the table is to be written again, whole, though no volume changes. */
  readonly mendTable?: boolean;
  /** Set when what can be mended on its volumes is. */
  readonly mend?: boolean;
  /** What goes from volume to volume. */
  readonly transfers?: readonly TransferWish[];
  /** What is written over. */
  readonly wipes?: readonly WipeWish[];
}

/** Starts of volumes are multiples of this. */
export const ALIGNMENT = 1024 * 1024;

/** What a layout knows of how far a kept volume can be resized. */
export interface VolumeBounds {
  readonly floor: number;
  readonly floorReason: string;
  readonly ceiling: number;
  readonly ceilingReason: string;
}

/** Bounds by volume number as it is now. */
export type Bounds = ReadonlyMap<number, VolumeBounds>;

/** A gap between volumes, half-open. */
export interface Gap {
  readonly start: number;
  readonly end: number;
}

/** Brands a string as a volume's identity. */
export function asVolumeId(id: string): VolumeId {
  return id as VolumeId;
}

/** The disk of a layout with nothing on it, and nothing wished for. */
export const blankLayout = ({ diskSize, sectorSize }: Layout): Layout => ({
  diskSize,
  sectorSize,
  table: 'none',
  volumes: [],
});

/** The end of a volume, exclusive. */
export function endOf(volume: Pick<LaidVolume, 'start' | 'length'>): number {
  return volume.start + volume.length;
}

/** The first byte a volume may begin at: the table comes before it. */
export function firstUsable(layout: Pick<Layout, 'table'>): number {
  return layout.table === 'none' ? 0 : ALIGNMENT;
}

type TableSide = Pick<Layout, 'diskSize' | 'sectorSize' | 'table' | 'tableEntries'>;

/** The byte behind the table at the beginning of the disk: volumes that are aligned begin later. */
export function tableEnd(layout: TableSide): number {
  if (layout.table === 'gpt') return gptRoomOf(layout).first;
  return layout.table === 'mbr' ? layout.sectorSize : 0;
}

function gptRoomOf({ diskSize, sectorSize, tableEntries }: TableSide): ReturnType<typeof gptRoom> {
  const entryCount = tableEntries ?? USUAL_ENTRIES * USUAL_ENTRY_SIZE;
  return gptRoom({ entryCount, entrySize: 1 }, diskSize, sectorSize);
}

/** The byte after the last a volume may use. */
export function lastUsable(layout: TableSide): number {
  if (layout.table === 'gpt') return gptRoomOf(layout).last;
  // A master boot record counts sectors in 32 bits.
  const limit = layout.table === 'mbr' ? 0xffffffff * layout.sectorSize : layout.diskSize;
  return Math.min(layout.diskSize, limit);
}

/** The unallocated stretches that could hold a volume: aligned, and at least one alignment unit long. */
export function gapsOf(layout: Layout): Gap[] {
  const gaps: Gap[] = [];
  let at = firstUsable(layout);
  const close = (end: number): void => {
    const start = Math.ceil(at / ALIGNMENT) * ALIGNMENT;
    if (end - start >= ALIGNMENT) gaps.push({ start, end });
  };
  for (const volume of layout.volumes) {
    close(volume.start);
    at = Math.max(at, endOf(volume));
  }
  close(lastUsable(layout));
  return gaps;
}

/** The volume with this identity. @throws RangeError when there is none */
export function volumeOf(layout: Layout, id: VolumeId): LaidVolume {
  const volume = layout.volumes.find((v) => v.id === id);
  if (!volume) throw new RangeError(`no volume ${id} in the layout`);
  return volume;
}

/** Whether a volume is made: it holds nothing that is kept. */
export const isMade = ({ origin, format }: Pick<LaidVolume, 'origin' | 'format'>): boolean =>
  origin.kind === 'new' || format !== undefined;

/** How far a volume that holds something can be resized; undefined where it can't be, or holds nothing. */
export function boundOf({ origin }: Pick<LaidVolume, 'origin'>, bounds: Bounds): VolumeBounds | undefined {
  if (origin.kind === 'kept') return bounds.get(origin.number);
  return origin.kind === 'copy' ? origin.bounds : undefined;
}

/** What a volume is called in a sentence: its letter and label, else its place. */
export function nameOf(volume: Pick<LaidVolume, 'letter' | 'label' | 'origin'>): string {
  const name = [volume.letter, volume.label].filter(Boolean).join(' ');
  if (name) return name;
  const { origin } = volume;
  if (origin.kind === 'copy') return `the copy of ${origin.name}`;
  return origin.kind === 'kept' ? `volume ${origin.number}` : 'the new volume';
}
