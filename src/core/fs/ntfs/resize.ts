/**
 * Shrinking and growing an NTFS volume.
 *
 * Shrinking carries in every cluster past the new end: user files, folders, the master file table and its mirror, the
 * journal, the bitmap itself. Runlists are encoded anew in their records; when one no longer fits, the driver refuses
 * before anything is committed. Growing moves nothing; a bitmap that is too short is written anew in the added room.
 * Bad clusters stay where they are, those past the new end leave the volume with it.
 */
import type { BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { FreeSpace } from '../free-space';
import type { Transaction } from '../port';
import { writeAcross } from './across';
import { bitmapBytes, resizedBitmap, runsOf, setBits } from './bitmap';
import { BOOT, type NtfsGeometry } from './boot-sector';
import { readRecords, type Mft } from './mft';
import { FLAG, RECORD, TYPE, type Attribute } from './record';
import { RecordEditor } from './record-editor';
import { decodeRuns, HOLE, type DataRun } from './runlist';

const MFT = 0;
const MIRROR = 1;
const BITMAP = 6;
const BAD = 8;
const SPECIAL = new Set([MFT, MIRROR, BITMAP, BAD]);

/** What a resize works from. */
export interface ResizeInput {
  readonly device: BlockDevice;
  readonly geometry: NtfsGeometry;
  readonly boot: Uint8Array;
  readonly mft: Mft;
  readonly bitmap: Uint8Array;
}

interface Piece {
  readonly editor: RecordEditor;
  readonly attribute: Attribute;
  runs: DataRun[];
}

/** Cluster and sector counts of a volume of `size` bytes, its last sector the backup boot sector. */
export function countsFor(g: NtfsGeometry, size: number): { totalSectors: number; clusterCount: number } {
  const totalSectors = Math.floor(size / g.sectorSize) - 1;
  return { totalSectors, clusterCount: Math.floor((totalSectors * g.sectorSize) / g.clusterSize) };
}

/** Resizes to `size` bytes. The caller has checked the limits and the volume's soundness. */
export async function resizeNtfs(input: ResizeInput, size: number, tx: Transaction): Promise<void> {
  await new Resize(input, size, tx).run();
}

class Resize {
  readonly #g: NtfsGeometry;
  readonly #total: number;
  readonly #count: number;
  readonly #editors = new Map<number, RecordEditor>();
  #bitmap: Uint8Array;
  #table: DataRun[];

  constructor(
    private readonly input: ResizeInput,
    size: number,
    private readonly tx: Transaction,
  ) {
    this.#g = input.geometry;
    const { totalSectors, clusterCount } = countsFor(this.#g, size);
    this.#total = totalSectors;
    this.#count = clusterCount;
    this.#bitmap = input.bitmap.slice();
    this.#table = [...input.mft.tableRuns];
  }

  async run(): Promise<void> {
    const pieces = await this.#pieces();
    if (this.#count < this.#g.clusterCount) await this.#carryIn(pieces);
    this.#table = this.#tableFrom(pieces);
    await this.#resizeBitmap(pieces);
    this.#resizeBad(pieces);
    await this.#writeRecords(this.#mirrorOf(pieces));
    await this.#writeBoot(pieces);
  }

  /** The attribute pieces that change: those with clusters past the new end, and the system's own that must. */
  async #pieces(): Promise<Piece[]> {
    const { device, mft } = this.input;
    const out: Piece[] = [];
    for await (const { number, bytes } of readRecords(device, this.#g, mft.tableRuns)) {
      const header = RECORD.decode(bytes);
      if (header.magic !== 'FILE' || (header.flags & FLAG.inUse) === 0) continue;
      const editor = new RecordEditor(number, bytes);
      for (const attribute of editor.attributes) {
        if (!attribute.pairs) continue;
        const runs = decodeRuns(attribute.pairs, this.#g.clusterCount, Number.MAX_SAFE_INTEGER);
        if (!runs) throw this.#damaged(`a runlist of record ${number} makes no sense`);
        const special = SPECIAL.has(editor.baseRecord) && attribute.type === TYPE.data;
        if (special || runs.some((r) => r.lcn !== HOLE && r.lcn + r.length > this.#count))
          out.push({ editor, attribute, runs });
      }
    }
    return out;
  }

  async #carryIn(pieces: readonly Piece[]): Promise<void> {
    const free = new FreeSpace(runsOf(this.#bitmap, 0, this.#count, false));
    // The mirror is addressed by its first cluster alone and must stay in one piece, so it chooses first.
    const order = [...pieces].sort((a, b) => rank(a) - rank(b));
    for (const piece of order) {
      if (piece.editor.number === BAD && piece.attribute.type === TYPE.data) continue;
      const whole = piece.editor.number === MIRROR && piece.attribute.type === TYPE.data;
      const moved = await this.#carryPiece(piece, free, whole);
      if (!moved) continue;
      piece.editor.setRuns(piece.attribute, piece.runs);
      this.#editors.set(piece.editor.number, piece.editor);
    }
  }

  async #carryPiece(piece: Piece, free: FreeSpace, whole: boolean): Promise<boolean> {
    const past = (r: DataRun): boolean => r.lcn !== HOLE && r.lcn + r.length > this.#count;
    if (!piece.runs.some(past)) return false;
    const runs: DataRun[] = [];
    const add = (lcn: number, length: number): void => {
      const last = runs.at(-1);
      if (last && last.lcn !== HOLE && last.lcn + last.length === lcn)
        runs[runs.length - 1] = { lcn: last.lcn, length: last.length + length };
      else runs.push({ lcn, length });
    };
    for (const run of piece.runs) {
      if (run.lcn === HOLE) {
        runs.push(run);
        continue;
      }
      const stays = whole ? 0 : Math.max(0, Math.min(run.length, this.#count - run.lcn));
      if (stays > 0) add(run.lcn, stays);
      if (stays === run.length) continue;
      for (const target of await this.#carryRun(run.lcn + stays, run.length - stays, free, whole))
        add(target.start, target.length);
    }
    piece.runs = runs;
    return true;
  }

  async #carryRun(
    from: number,
    length: number,
    free: FreeSpace,
    whole: boolean,
  ): Promise<{ start: number; length: number }[]> {
    const targets = free.take(length);
    if (!targets || (whole && targets.length > 1)) {
      const { clusterSize } = this.#g;
      throw new CoreError('fs.full', { needed: length * clusterSize, free: free.total * clusterSize });
    }
    const { clusterSize } = this.#g;
    let at = from;
    for (const target of targets) {
      await this.tx.copy(at * clusterSize, target.start * clusterSize, target.length * clusterSize);
      setBits(this.#bitmap, target.start, target.start + target.length, true);
      at += target.length;
    }
    setBits(this.#bitmap, from, from + length, false);
    return targets;
  }

  #tableFrom(pieces: readonly Piece[]): DataRun[] {
    const runs = pieces
      .filter((p) => p.attribute.type === TYPE.data && p.attribute.name === '' && this.#isTable(p.editor))
      .sort((a, b) => a.attribute.lowestVcn - b.attribute.lowestVcn)
      .flatMap((p) => p.runs);
    const length = (list: readonly DataRun[]): number => list.reduce((sum, r) => sum + r.length, 0);
    if (length(runs) !== length(this.#table))
      throw this.#damaged('the extents of its master file table are not all found');
    return runs;
  }

  #isTable(editor: RecordEditor): boolean {
    return editor.number === MFT || editor.baseRecord === MFT;
  }

  /** The bitmap at its new length, in place or, when it is too short, in the added room. */
  async #resizeBitmap(pieces: readonly Piece[]): Promise<void> {
    const piece = pieces.find((p) => p.editor.number === BITMAP && p.attribute.type === TYPE.data);
    if (!piece) throw this.#damaged('its cluster bitmap is missing');
    const size = bitmapBytes(this.#count);
    const old = this.#bitmap;
    const { clusterSize, clusterCount } = this.#g;
    const held = piece.runs.reduce((sum, r) => sum + r.length, 0) * clusterSize;
    const bitmap = resizedBitmap(old, clusterCount, this.#count);
    if (size > held) {
      const clusters = Math.ceil(size / clusterSize);
      // The old backup boot sector lies in the first cluster behind the old end.
      const lcn = clusterCount + 1;
      if (lcn + clusters > this.#count)
        throw new CoreError('fs.full', { needed: size, free: (this.#count - lcn) * clusterSize });
      for (const run of piece.runs) setBits(bitmap, run.lcn, run.lcn + run.length, false);
      setBits(bitmap, lcn, lcn + clusters, true);
      const padded = new Uint8Array(clusters * clusterSize);
      padded.set(bitmap);
      await this.tx.writeFree(lcn * clusterSize, padded);
      piece.runs = [{ lcn, length: clusters }];
      piece.editor.setRuns(piece.attribute, piece.runs, { allocated: padded.length, size, initialised: size });
    } else {
      await writeAcross(this.tx, piece.runs, clusterSize, 0, bitmap);
      piece.editor.setRuns(piece.attribute, piece.runs, { size, initialised: size });
    }
    this.#bitmap = bitmap;
    this.#editors.set(BITMAP, piece.editor);
  }

  /** The stream of bad clusters is as long as the volume: a hole, but for those that are bad. */
  #resizeBad(pieces: readonly Piece[]): void {
    const piece = pieces.find((p) => p.editor.number === BAD && p.attribute.name === '$Bad');
    if (!piece) throw this.#damaged('its list of bad clusters is missing');
    const runs: DataRun[] = [];
    let vcn = 0;
    for (const run of piece.runs) {
      const length = Math.min(run.length, this.#count - vcn);
      if (length <= 0) break;
      runs.push({ lcn: run.lcn, length });
      vcn += length;
    }
    const last = runs.at(-1);
    if (vcn < this.#count) {
      if (last?.lcn === HOLE) runs[runs.length - 1] = { lcn: HOLE, length: last.length + this.#count - vcn };
      else runs.push({ lcn: HOLE, length: this.#count - vcn });
    }
    const size = this.#count * this.#g.clusterSize;
    piece.editor.setRuns(piece.attribute, runs, { allocated: size, size });
    this.#editors.set(BAD, piece.editor);
  }

  #mirrorOf(pieces: readonly Piece[]): Piece {
    const piece = pieces.find((p) => p.editor.number === MIRROR && p.attribute.type === TYPE.data);
    if (!piece?.runs[0]) throw this.#damaged('the mirror of its master file table is missing');
    return piece;
  }

  /** Changed records, at their places in the table as it lies now, and in the mirror. */
  async #writeRecords(mirror: Piece): Promise<void> {
    const { recordSize, clusterSize } = this.#g;
    const mirrored = Math.floor(mirror.attribute.dataSize / recordSize);
    for (const [number, editor] of [...this.#editors].sort(([a], [b]) => a - b)) {
      const bytes = editor.build();
      await writeAcross(this.tx, this.#table, clusterSize, number * recordSize, bytes);
      if (number < mirrored) await this.tx.write(mirror.runs[0]!.lcn * clusterSize + number * recordSize, bytes);
    }
  }

  async #writeBoot(pieces: readonly Piece[]): Promise<void> {
    const { sectorSize } = this.#g;
    const sector = this.input.boot.slice();
    const mirrorLcn = this.#mirrorOf(pieces).runs[0]!.lcn;
    BOOT.encode(
      { totalSectors: BigInt(this.#total), mftLcn: BigInt(this.#table[0]!.lcn), mirrorLcn: BigInt(mirrorLcn) },
      sector,
    );
    await this.tx.write(0, sector);
    await this.tx.write(this.#total * sectorSize, sector);
  }

  #damaged(reason: string): CoreError {
    return new CoreError('fs.damaged', { fileSystem: 'NTFS', reason, offset: 0 });
  }
}

/** The mirror first, the table next, then everything else in the order of records. */
function rank({ editor, attribute }: Piece): number {
  if (attribute.type === TYPE.data && editor.number === MIRROR) return -2;
  return editor.number === MFT ? -1 : editor.number;
}
