/**
 * Shrinking and growing an NTFS volume, and taking places of it out of use.
 *
 * Shrinking carries in every cluster past the new end: user files, folders, the master file table and its mirror, the
 * journal, the bitmap itself. Runlists are encoded anew, into extension records when they no longer fit their own.
 * Growing moves nothing; a bitmap that is too short is written anew. Bad clusters stay where they are, those past the
 * new end leave the volume with it.
 */
import { BAD } from './bad-clusters';
import { damaged } from './damaged';
import { CoreError } from '@/core/errors';
import { FreeSpace } from '../free-space';
import type { ByteRange, Transaction } from '../port';
import { Retired } from '../retired';
import { bitmapBytes, resizedBitmap, runsOf, setBits } from '../bitmap';
import { BOOT, type NtfsGeometry } from './boot-sector';
import type { Reserved } from './adopt';
import type { ChangeInput } from './change';
import { BITMAP, MFT, MftEdit, MIRROR } from './mft-edit';
import type { NtfsStream } from './file';
import { TYPE } from './record';
import { appendRun, clustersOf, HOLE, type DataRun } from './runlist';

const BOOT_FILE = 7;

interface Carried {
  readonly record: number;
  readonly stream: NtfsStream;
}

/** Cluster and sector counts of a volume of `size` bytes, its last sector the backup boot sector. */
function countsFor(g: NtfsGeometry, size: number): { totalSectors: number; clusterCount: number } {
  const totalSectors = Math.floor(size / g.sectorSize) - 1;
  return { totalSectors, clusterCount: Math.floor((totalSectors * g.sectorSize) / g.clusterSize) };
}

/**
 * Resizes to `size` bytes. The caller has checked the limits and the volume's soundness.
 * @param reserved clusters of the room that is gained which belong to somebody else
 */
export async function resizeNtfs(
  input: ChangeInput,
  size: number,
  tx: Transaction,
  reserved?: Reserved,
): Promise<void> {
  await new Resize(input, size, tx, { reserved }).run();
}

/** Where systems start: the clusters of the boot file. */
export const startRuns = (mft: ChangeInput['mft']): readonly DataRun[] =>
  mft.files.get(BOOT_FILE)?.streams.flatMap((s) => s.runs) ?? [];

/**
 * Carries what lies on places elsewhere, and has their clusters in the list of those that are bad, but for the first ones,
 * where systems start.
 * @param size bytes that the volume has
 */
export async function retireNtfs(
  input: ChangeInput,
  size: number,
  places: readonly ByteRange[],
  tx: Transaction,
): Promise<void> {
  const { clusterSize, clusterCount } = input.geometry;
  const touched = Retired.touching(places, 0, clusterSize, 0, clusterCount);
  const retired = touched.except(startRuns(input.mft).map(({ lcn, length }) => ({ start: lcn, length })));
  if (!retired.isEmpty) await new Resize(input, size, tx, { retired }).run();
}

/** What else is not the volume's to use. */
interface Withheld {
  readonly reserved?: Reserved | undefined;
  readonly retired?: Retired;
}

class Resize {
  readonly #g: NtfsGeometry;
  readonly #total: number;
  readonly #count: number;
  readonly #reserved: Reserved | undefined;
  readonly #retired: Retired;
  #bitmap: Uint8Array;
  #free: FreeSpace;

  constructor(
    private readonly input: ChangeInput,
    size: number,
    private readonly tx: Transaction,
    { reserved, retired = Retired.none }: Withheld,
  ) {
    this.#reserved = reserved;
    this.#retired = retired;
    this.#g = input.geometry;
    const { totalSectors, clusterCount } = countsFor(this.#g, size);
    this.#total = totalSectors;
    this.#count = clusterCount;
    this.#bitmap = resizedBitmap(input.bitmap, this.#g.clusterCount, clusterCount);
    this.#free = new FreeSpace(this.#freeRuns());
  }

  /** What may be written at once: not the cluster that the backup boot sector is in until the change is through. */
  #freeRuns(): { start: number; length: number }[] {
    const old = this.#g.clusterCount;
    const before = runsOf(this.#bitmap, 0, Math.min(old, this.#count), false);
    const { lcn, length } = this.#reserved ?? { lcn: this.#count, length: 0 };
    const gained = [
      { start: old + 1, end: Math.min(lcn, this.#count) },
      { start: Math.max(old + 1, lcn + length), end: this.#count },
    ];
    return this.#retired.without([
      ...before,
      ...gained.filter((g) => g.end > g.start).map((g) => ({ start: g.start, length: g.end - g.start })),
    ]);
  }

  async run(): Promise<void> {
    const edit = await MftEdit.open(this.input, this.tx, (count) => this.#take(count, false));
    for (const { record, stream } of this.#leaving()) {
      const file = await edit.file(record);
      // A list of attributes is written anew with its file.
      if (stream.type === TYPE.attributeList) continue;
      const runs = await this.#carryIn(stream.runs, record === MIRROR && stream.type === TYPE.data);
      file.setRuns(stream.type, stream.name, runs);
    }
    await edit.tableMoved();
    await this.#resizeBitmap(edit);
    for (const { start, length } of this.#retired.runs) setBits(this.#bitmap, start, start + length, true);
    await this.#listBad(edit);
    await edit.write(() => this.#bitmap, this.#count);
    await this.#writeBoot(edit);
  }

  /** Streams with clusters past the new end, or on places that go out of use: the mirror, which must stay in one piece, chooses first, then the table. */
  #leaving(): Carried[] {
    const out: Carried[] = [];
    for (const file of this.input.mft.files.values()) {
      for (const stream of file.streams) {
        if (file.number === BAD && stream.type === TYPE.data) continue;
        if (stream.runs.some((r) => r.lcn !== HOLE && this.#leaves(r))) out.push({ record: file.number, stream });
      }
    }
    const rank = ({ record, stream }: Carried): number =>
      record === MIRROR && stream.type === TYPE.data ? -2 : record === MFT ? -1 : record;
    return out.sort((a, b) => rank(a) - rank(b));
  }

  #leaves({ lcn, length }: DataRun): boolean {
    return lcn + length > this.#count || this.#retired.meets(lcn, length);
  }

  async #carryIn(runs: readonly DataRun[], whole: boolean): Promise<DataRun[]> {
    const out: DataRun[] = [];
    for (const run of runs) {
      if (run.lcn === HOLE) {
        out.push(run);
        continue;
      }
      const pieces = whole ? [{ start: run.lcn, length: run.length, lost: true }] : this.#pieces(run);
      for (const { start, length, lost } of pieces) {
        if (!lost) appendRun(out, { lcn: start, length });
        else for (const target of await this.#carryRun(start, length, whole)) appendRun(out, target);
      }
    }
    return out;
  }

  /** A run, cut where it stays and where it doesn't. */
  *#pieces({ lcn, length }: DataRun): Generator<{ start: number; length: number; lost: boolean }> {
    const inside = Math.max(0, Math.min(length, this.#count - lcn));
    yield* this.#retired.pieces(lcn, inside);
    if (inside < length) yield { start: lcn + inside, length: length - inside, lost: true };
  }

  async #carryRun(from: number, length: number, whole: boolean): Promise<DataRun[]> {
    const { clusterSize } = this.#g;
    const targets = this.#take(length, whole);
    let at = from;
    for (const target of targets) {
      await this.tx.copy(at * clusterSize, target.lcn * clusterSize, target.length * clusterSize);
      at += target.length;
    }
    // A mirror that moves as a whole leaves clusters behind that stay in the volume.
    if (from < this.#count) setBits(this.#bitmap, from, Math.min(from + length, this.#count), false);
    return targets;
  }

  #take(clusters: number, whole: boolean): DataRun[] {
    const targets = this.#free.take(clusters);
    if (!targets || (whole && targets.length > 1)) {
      const { clusterSize } = this.#g;
      throw new CoreError('fs.full', { needed: clusters * clusterSize, free: this.#free.total * clusterSize });
    }
    for (const { start, length } of targets) setBits(this.#bitmap, start, start + length, true);
    return targets.map(({ start, length }) => ({ lcn: start, length }));
  }

  /** The bitmap's own length: in place, or when its clusters are too few, in more of them. */
  async #resizeBitmap(edit: MftEdit): Promise<void> {
    const file = await edit.file(BITMAP);
    const runs = file.runsOf(TYPE.data);
    if (!runs) throw damaged('its cluster bitmap is missing');
    const size = bitmapBytes(this.#count);
    const { clusterSize } = this.#g;
    const missing = Math.ceil(size / clusterSize) - clustersOf(runs);
    const longer = [...runs];
    for (const run of missing > 0 ? this.#take(missing, false) : []) {
      await this.tx.clearFree(run.lcn * clusterSize, run.length * clusterSize);
      appendRun(longer, run);
    }
    const allocated = clustersOf(longer) * clusterSize;
    file.setRuns(TYPE.data, '', longer, { allocated, size, initialised: size });
  }

  /** The stream of bad clusters is as long as the volume: a hole, but for those that are bad. */
  async #listBad(edit: MftEdit): Promise<void> {
    const file = await edit.file(BAD);
    const old = file.runsOf(TYPE.data, '$Bad');
    if (!old) throw damaged('its list of bad clusters is missing');
    const known = old.flatMap(({ lcn, length }) =>
      lcn === HOLE || lcn >= this.#count ? [] : [{ start: lcn, length: Math.min(length, this.#count - lcn) }],
    );
    const runs: DataRun[] = [];
    for (const { start, length, lost } of this.#retired.and(known).pieces(0, this.#count))
      appendRun(runs, { lcn: lost ? start : HOLE, length });
    const size = this.#count * this.#g.clusterSize;
    file.setRuns(TYPE.data, '$Bad', runs, { allocated: size, size });
  }

  async #writeBoot(edit: MftEdit): Promise<void> {
    const mirrorLcn = (await edit.file(MIRROR)).runsOf(TYPE.data)?.[0]?.lcn;
    if (mirrorLcn === undefined) throw damaged('the mirror of its master file table is missing');
    const sector = this.input.boot.slice();
    BOOT.encode(
      { totalSectors: BigInt(this.#total), mftLcn: BigInt(edit.tableLcn), mirrorLcn: BigInt(mirrorLcn) },
      sector,
    );
    await this.tx.write(0, sector);
    await this.tx.write(this.#total * this.#g.sectorSize, sector);
  }
}
