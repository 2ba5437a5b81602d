/**
 * The closed list of ways an edit is refused: a code with its facts, and one table of sentences that stops compiling when a
 * code has none. Volumes are told by what sentences call them, sizes are bytes.
 */
import { formatSize } from '@/core/size';

interface OfVolume {
  readonly volume: string;
}
interface OfSize {
  readonly bytes: number;
}
type Nothing = Record<string, never>;

/** What each refusal knows. */
export interface RefusalFacts {
  guarded: OfVolume;
  'guarded.all': Nothing;
  'guarded.place': OfVolume;
  'guarded.size': OfVolume;
  'size.least': OfSize & { readonly kind: string };
  'size.most': OfSize & { readonly kind: string };
  'size.unsuited': OfSize & { readonly kind: string };
  'size.floor': OfVolume & OfSize & { readonly why: string };
  'size.ceiling': OfVolume & OfSize & { readonly why: string };
  'size.unknown': OfVolume;
  'size.claimed': OfVolume & { readonly says: number; readonly has: number };
  'room.here': OfVolume & OfSize;
  'room.unallocated': OfSize;
  'room.nowhere': OfSize;
  'room.missing': OfSize;
  'room.whole-mib': Nothing;
  'room.first': Nothing;
  'room.overlap': OfVolume;
  'room.past-end': Nothing;
  'room.would-pass-end': Nothing;
  'place.reached': { readonly volume: string | undefined };
  'place.taken': OfVolume;
  'place.same': OfVolume;
  'place.no-neighbour': Nothing;
  'place.untabled': Nothing;
  'shares.few': Nothing;
  'own.room': OfVolume & OfSize & { readonly now: number; readonly later: number };
  'split.sizes': { readonly fault: string };
  'shares.apart': OfVolume;
  'shares.impossible': OfSize & { readonly volumes: string };
  'table.one-volume': Nothing;
  'table.none-beside': Nothing;
  'table.none-to-leave': Nothing;
  'table.none-to-enter': Nothing;
  'table.none-to-mend': Nothing;
  'table.none-for-marks': Nothing;
  'table.same': { readonly table: string };
  'table.untabled': Nothing;
  'table.in-the-way': OfVolume;
  'table.too-far': OfVolume & OfSize & { readonly sectorSize: number };
  'table.copy-room': OfVolume & OfSize;
  'table.not-mbr': { readonly what: 'logical volumes' | 'an active mark' };
  'table.no-mark': OfVolume & { readonly flag: string };
  'table.entry-between': OfVolume & { readonly entries: number };
  'table.entries': { readonly entries: number };
  'table.record-room': OfVolume & OfSize;
  'table.record-none': OfVolume;
  'table.record-not-given': OfVolume & OfSize & { readonly by: string };
  'kind.unmade': { readonly kind: string };
  'kind.cluster-size': OfSize & { readonly clusterSize: number; readonly kind: string };
  'kind.choice': OfVolume & { readonly fault: string };
  'kind.made-already': OfVolume;
  'label.fault': { readonly fault: string };
  'label.unknown': OfVolume;
  'letter.none': { readonly letter: string };
  'letter.taken': { readonly letter: string; readonly by: string };
  'letter.machine': { readonly letter: string };
  'copy.none': OfVolume;
  'copy.format': OfVolume;
  'transfer.same': OfVolume;
  'transfer.not-there': OfVolume;
  'transfer.no-folder': Nothing;
  'wipe.new': OfVolume;
  'wipe.unknown': OfVolume;
  'wipe.stays': OfVolume;
  'back.already': OfVolume;
  'back.taken': OfVolume & { readonly by: string };
  'back.table': OfVolume;
}

/** A stable code of the closed list. */
export type RefusalCode = keyof RefusalFacts;

const size = formatSize;

const SENTENCES: { readonly [C in RefusalCode]: (facts: RefusalFacts[C]) => string } = {
  guarded: (f) => `${f.volume} is guarded. Lift the guard first.`,
  'guarded.all': () => 'Every volume here is guarded. Lift the guards first.',
  'guarded.place': (f) => `${f.volume} is guarded and stays where it is.`,
  'guarded.size': (f) => `${f.volume} is guarded and keeps its size.`,
  'size.least': (f) => `A ${f.kind} volume has at least ${size(f.bytes)}.`,
  'size.most': (f) => `A ${f.kind} volume has at most ${size(f.bytes)}.`,
  'size.unsuited': (f) => `${size(f.bytes)} does not suit ${f.kind}.`,
  'size.floor': (f) => `${f.volume} can't be smaller than ${size(f.bytes)}: ${f.why}.`,
  'size.ceiling': (f) => `${f.volume} can't be larger than ${size(f.bytes)}: ${f.why}.`,
  'size.unknown': (f) => `${f.volume} holds a file system not known here and keeps its size.`,
  'size.claimed': (f) => `${f.volume} says that it has ${size(f.says)}, and there are ${size(f.has)}.`,
  'room.here': (f) => `${f.volume} has room for ${size(f.bytes)} here.`,
  'room.unallocated': (f) => `There are ${size(f.bytes)} unallocated here.`,
  'room.nowhere': (f) => `There is nowhere else with ${size(f.bytes)} unallocated in one piece.`,
  'room.missing': (f) => `${size(f.bytes)} are missing.`,
  'room.whole-mib': () => 'Beginning at whole MiB, they would need more room than there is.',
  'room.first': () => 'There is nothing before the first volume.',
  'room.overlap': (f) => `${f.volume} would stand where another volume is.`,
  'room.past-end': () => 'The volumes would reach past the end of the disk.',
  'room.would-pass-end': () => 'It would reach past the end of the disk.',
  'place.reached': (f) => `${f.volume ?? 'The table'} reaches to there.`,
  'place.taken': (f) => `${f.volume} is there.`,
  'place.same': (f) => `${f.volume} is there already.`,
  'place.no-neighbour': () => 'The volume it shall stand before is not there.',
  'place.untabled': () => 'A file system without a table begins where the disk begins.',
  'own.room': (f) =>
    `A volume of ${size(f.bytes)} is needed, and ${f.volume} can give ${size(f.now)} before anything has moved, and ${size(f.later)} once all of it has. Make room first, or take some of the folders.`,
  'split.sizes': (f) => f.fault,
  'shares.few': () => 'Equal shares are of two volumes or more.',
  'shares.apart': (f) => `${f.volume} stands between them. Equal shares are of neighbours.`,
  'shares.impossible': (f) => `${f.volumes} can’t be made to share ${size(f.bytes)}.`,
  'table.one-volume': () => 'This disk has no table, so it holds one volume only.',
  'table.none-beside': () => 'This disk has no table, so nothing can be put beside its volume.',
  'table.none-to-leave': () => 'The disk has no table to take its volume out of. Format it instead.',
  'table.none-to-enter': () => 'The disk has no table to put it into. Make one first.',
  'table.none-to-mend': () => 'There is no table to mend.',
  'table.none-for-marks': () => 'Marks stand in a table, and there is none.',
  'table.same': (f) => `The disk has ${f.table} already.`,
  'table.untabled': () =>
    'A file system without a table begins where the table would have to go. Copy it to a disk with one.',
  'table.in-the-way': (f) => `${f.volume} begins where the table has to go.`,
  'table.too-far': (f) =>
    `A master boot record reaches ${size(f.bytes)} with sectors of ${f.sectorSize} bytes, and ${f.volume} ends behind that.`,
  'table.copy-room': (f) =>
    `The copy of the table needs the last ${size(f.bytes)} of the disk, and ${f.volume} can’t give them.`,
  'table.not-mbr': (f) => `Only a master boot record has ${f.what}.`,
  'table.no-mark': (f) => `A master boot record has no mark “${f.flag}” for ${f.volume}.`,
  'table.entry-between': (f) =>
    `${f.volume} needs an entry of its own and stands between logical volumes, which must be neighbours.`,
  'table.entries': (f) =>
    `The table has ${f.entries} entries, and too many volumes here need one of their own. A GUID table has no such limit.`,
  'table.record-room': (f) => `${f.volume} would be logical and needs ${size(f.bytes)} before it for its boot record.`,
  'table.record-none': (f) => `There is no room before ${f.volume} for the boot record of a logical volume.`,
  'table.record-not-given': (f) =>
    `${f.volume} would be logical and needs ${size(f.bytes)} before it, which ${f.by} can’t give.`,
  'kind.unmade': (f) => `A ${f.kind} volume can't be made here.`,
  'kind.cluster-size': (f) => `A cluster size of ${size(f.clusterSize)} does not suit ${size(f.bytes)} of ${f.kind}.`,
  'kind.choice': (f) => `${f.volume}: ${f.fault}.`,
  'kind.made-already': (f) => `${f.volume} is there already, and stays as it was made.`,
  'label.fault': (f) => f.fault,
  'label.unknown': (f) => `${f.volume} holds a file system not known here and keeps its label.`,
  'letter.none': (f) => `“${f.letter}” is not a letter from A to Z.`,
  'letter.taken': (f) => `${f.letter} is the letter of ${f.by}.`,
  'letter.machine': (f) => `${f.letter} is in use on this machine.`,
  'copy.none': (f) => `${f.volume} is no copy.`,
  'copy.format': (f) => `${f.volume} is a copy. Take it away, and make a new volume.`,
  'transfer.same': (f) => `${f.volume} is where it comes from.`,
  'transfer.not-there': (f) => `${f.volume} is not there yet.`,
  'transfer.no-folder': () => 'No folder is picked.',
  'wipe.new': (f) => `${f.volume} is made anew, and holds nothing yet.`,
  'wipe.unknown': (f) => `What is free in ${f.volume} is not known.`,
  'wipe.stays': (f) => `${f.volume} stays. Only what goes is wiped whole.`,
  'back.already': (f) => `${f.volume} is put back already.`,
  'back.taken': (f) => `${f.by} is planned where ${f.volume} lies.`,
  'back.table': (f) => `${f.volume} lies where the table has to be.`,
};

/** A refusal: why, in code and in words, with the nearest that can be where there is one. */
export interface Refusal {
  readonly ok: false;
  readonly code: RefusalCode;
  /** Its sentence. Never parsed. */
  readonly reason: string;
  readonly nearest?: number;
}

/** Refuses an edit. */
export function refuse<C extends RefusalCode>(code: C, facts: RefusalFacts[C], nearest?: number): Refusal {
  return { ok: false, code, reason: SENTENCES[code](facts), ...(nearest === undefined ? {} : { nearest }) };
}
