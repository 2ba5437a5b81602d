/** The steps of a plan, each from what it is about, with what it costs on the medium. */
import { crc32 } from '@/core/bytes';
import { hasErrors } from '@/core/errors';
import { bytesBeyond, chosenFault, findKind, totalOf, type ByteRange } from '@/core/fs';
import type { Survey, SurveyedVolume } from '@/core/inspect';
import { isMade, nameOf, type LaidVolume } from '@/core/layout';
import type { Place } from '@/core/place';
import { gptRoom, type DiskTable } from '@/core/table';
import { secondsFor, type MediumSpeed } from './medium';
import { refused } from './refused';
import { placeOf, type Copied, type Kept } from './subjects';
import type {
  CarryStep,
  CheckStep,
  EmptyStep,
  GrowStep,
  IdentifyStep,
  LentRoom,
  Loss,
  MakeStep,
  MarkStep,
  MendStep,
  ProofBy,
  ProveStep,
  RelabelStep,
  RemoveStep,
  RetireStep,
  SettleStep,
  ShrinkStep,
  StepCost,
  TableStep,
  WipeStep,
} from './steps';

/** Bytes that a change of a few structures writes, at most. */
export const SECTOR_WRITE = 4096;

/** All that is on a volume. */
export const lossOf = (v: SurveyedVolume): Loss => ({ files: v.files, bytes: v.info?.used ?? v.length });

/** A volume that stays as it is and has errors, or is not known, is compared as a whole. */
const proofBy = (now: SurveyedVolume, changes: boolean): ProofBy =>
  now.info && (changes || !hasErrors(now.findings)) ? 'files' : 'whole';

/** What is in use of a volume; all of it where that is not known. Bytes. */
export const inUse = (now: SurveyedVolume, length = now.length): number =>
  now.info ? totalOf(now.allocation) : length;

export class StepMakers {
  constructor(
    private readonly survey: Survey,
    private readonly speed: MediumSpeed,
  ) {}

  cost(reads: number, writes: number, seeks: number, carries = 0, speed = this.speed): StepCost {
    return { reads, writes, carries, seconds: secondsFor(speed, reads, writes, seeks) };
  }

  check({ planned, now, mending }: Kept, changes: boolean): CheckStep {
    return {
      kind: 'check',
      name: nameOf(planned),
      number: now.number,
      by: proofBy(now, changes),
      changes,
      at: placeOf(now),
      files: now.files,
      ...(mending && mending.mends.length > 0 ? { mended: true } : {}),
      cost: this.cost(totalOf(now.allocation), 0, now.files),
    };
  }

  mend({ planned, now, mending }: Kept): MendStep {
    const { lost, mends, was } = mending!;
    const from = was ? { was } : {};
    const cost = this.cost(0, SECTOR_WRITE * mends.length, 2 * mends.length);
    return { kind: 'mend', name: nameOf(planned), number: now.number, at: placeOf(now), lost, ...from, mends, cost };
  }

  /** @param bytes that are written over in each pass */
  wipe(step: Omit<WipeStep, 'kind' | 'cost'>, bytes: number): WipeStep {
    const cost = this.cost(bytes * step.compare, bytes * step.passes.length, step.places.length);
    return { kind: 'wipe', ...step, cost: { ...cost, reads: Math.round(cost.reads) } };
  }

  /** Reads what is copied, as the measure for its copy. */
  checkOriginal({ origin, original, here, from, number, whole, speed }: Copied): CheckStep {
    const reads = inUse(original);
    return {
      kind: 'check',
      name: `${origin.name} of ${origin.diskName}`,
      number: here ? original.number : number,
      by: whole ? 'whole' : 'files',
      changes: false,
      at: { disk: from.disk, start: original.start, length: original.length },
      files: original.files,
      salvage: true,
      cost: this.cost(reads, 0, original.files, 0, speed),
    };
  }

  settle({ planned, now }: Kept): SettleStep {
    return { kind: 'settle', name: nameOf(planned), at: placeOf(now), cost: this.cost(0, SECTOR_WRITE, 16) };
  }

  /**
   * @param places bytes of the volume
   * @param ahead they fail where the volume comes to
   */
  retire(name: string, at: Place, places: readonly ByteRange[], ahead = false): RetireStep {
    const bytes = totalOf(places);
    const cost = this.cost(bytes, bytes + SECTOR_WRITE, 4 * places.length, bytes);
    return { kind: 'retire', name, at, places, ...(ahead ? { ahead } : {}), cost };
  }

  /** @param forWantOf set where it is grown again in the end: the room that would do instead */
  shrink({ planned, now }: Kept, to: number, forWantOf: number | undefined): ShrinkStep {
    const carries = bytesBeyond(now.allocation, to);
    const structures = Math.min(now.length, SECTOR_WRITE + carries / 1000);
    const cost = this.cost(carries, carries + structures, 4 + carries / (1 << 20), carries);
    const meanwhile = forWantOf === undefined ? {} : { forWantOf };
    return { kind: 'shrink', name: nameOf(planned), at: placeOf(now), to, ...meanwhile, cost };
  }

  /** One that gives a part of its room in a round, how long it is by then told, and how much has left it. */
  shrinkInRound({ planned, now }: Kept, from: number, to: number, left: number): ShrinkStep {
    const most = Math.max(0, totalOf(now.allocation) - left);
    const carries = Math.min(bytesBeyond(now.allocation, to), from - to, most);
    const cost = this.cost(carries, carries + SECTOR_WRITE, 4 + carries / (1 << 20), carries);
    return { kind: 'shrink', name: nameOf(planned), at: placeOf({ ...now, length: from }), to, cost };
  }

  /** A new volume that moves up to room that has become free, with what it holds by now. */
  carryMade(
    planned: LaidVolume,
    number: number,
    from: Place,
    to: Place,
    held: number,
    table: Exclude<DiskTable, { kind: 'none' }>,
  ): CarryStep {
    const cost = this.cost(2 * held, held + SECTOR_WRITE, 4 + held / (1 << 20), held);
    const name = nameOf(planned);
    return { kind: 'carry', name, number, from, to, whole: false, aside: false, made: true, table, cost };
  }

  /** A new volume that is made where room is lent. @throws CoreError `plan.refused` */
  makeElsewhere(volume: LaidVolume, { name: other, ...lent }: LentRoom): MakeStep {
    return { ...this.make(volume), at: lent, other };
  }

  /** Clears what was set aside where room was lent. */
  emptied(volume: LaidVolume, { name: other, ...place }: LentRoom): EmptyStep {
    return { kind: 'empty', name: nameOf(volume), place, other, cost: this.cost(0, SECTOR_WRITE, 2, 0) };
  }

  /** The cluster size that a new volume gets by what it is in the end. */
  clusterSizeOf({ fileSystem, clusterSize, length }: LaidVolume): number {
    return clusterSize ?? findKind(fileSystem)?.defaultClusterSize(length, this.survey.sectorSize) ?? 0;
  }

  copy({ planned, origin, original, number, from, whole, speed }: Copied): CarryStep {
    const length = Math.min(from.length, planned.length);
    const carries = inUse(original, length);
    return {
      kind: 'carry',
      name: nameOf(planned),
      number,
      from,
      to: placeOf({ start: planned.start, length }),
      other: `${origin.name} of ${origin.diskName}`,
      whole,
      aside: false,
      keeps: true,
      cost: this.#across(carries, speed),
    };
  }

  /** Read on one disk and written on another. */
  #across(carries: number, speed: MediumSpeed | undefined): StepCost {
    const seeks = 4 + carries / (1 << 20);
    if (!speed) return this.cost(carries, carries + SECTOR_WRITE, seeks, carries);
    const write = this.cost(0, carries + SECTOR_WRITE, seeks, carries);
    const read = secondsFor(speed, carries, 0, seeks);
    return { ...write, reads: carries, seconds: write.seconds + read };
  }

  /** None where nothing of the copy may be changed, or it is to take its original's place. */
  identify({ planned, from, origin, whole }: Copied): IdentifyStep[] {
    if (whole || origin.identity === 'kept') return [];
    const at = placeOf({ start: planned.start, length: Math.min(from.length, planned.length) });
    const serial = serialOf(planned, this.survey);
    return [{ kind: 'identify', name: nameOf(planned), at, serial, cost: this.cost(0, SECTOR_WRITE, 4) }];
  }

  grow(planned: LaidVolume, from: number): GrowStep {
    return { kind: 'grow', name: nameOf(planned), at: placeOf(planned), from, cost: this.cost(0, SECTOR_WRITE, 4) };
  }

  /** @param loses nothing where everything on it is somewhere else by then */
  remove(before: LaidVolume, now: SurveyedVolume, loses: Loss | undefined): RemoveStep {
    const lost = loses ? { loses } : {};
    return { kind: 'remove', name: nameOf(before), at: placeOf(now), ...lost, cost: this.cost(0, 0, 0) };
  }

  relabel(planned: LaidVolume): RelabelStep {
    const { label } = planned;
    const cost = this.cost(0, SECTOR_WRITE, 2);
    return { kind: 'relabel', name: nameOf(planned), at: placeOf(planned), label, cost };
  }

  /** @throws CoreError `plan.refused` */
  make(volume: LaidVolume): MakeStep {
    const facts = findKind(volume.fileSystem);
    if (!facts) throw refused('volume.unmade', { kind: volume.fileSystem });
    const format = volume.format ?? 'quick';
    const { sectorSize } = this.survey;
    const clusterSize = volume.clusterSize ?? facts.defaultClusterSize(volume.length, sectorSize);
    if (clusterSize === undefined || !facts.clusterSizes(volume.length, sectorSize).includes(clusterSize)) {
      throw refused('volume.cluster-size', {
        ...{ bytes: volume.length, clusterSize: clusterSize ?? 0, kind: facts.title },
      });
    }
    const label = facts.normaliseLabel(volume.label);
    const { chosen } = volume;
    const fault = chosen && chosenFault(facts.choices ?? [], chosen);
    if (fault) throw refused('volume.choice', { volume: nameOf(volume), fault });
    const tables = (volume.length / clusterSize) * 8;
    const { origin } = volume;
    const now = origin.kind === 'kept' ? this.survey.volumes.find((v) => v.number === origin.number) : undefined;
    return {
      kind: 'make',
      name: nameOf(volume),
      at: placeOf(volume),
      fileSystem: volume.fileSystem,
      label,
      clusterSize,
      serial: serialOf(volume, this.survey),
      ...(chosen && Object.keys(chosen).length > 0 ? { chosen } : {}),
      format,
      cost: this.cost(0, format === 'full' ? volume.length : tables, 8),
      ...(now ? { replaces: now.number, loses: lossOf(now) } : {}),
    };
  }

  prove({ planned, now }: Kept, changes: boolean): ProveStep {
    return {
      kind: 'prove',
      name: nameOf(planned),
      number: now.number,
      by: proofBy(now, changes),
      at: placeOf(planned),
      files: now.files,
      cost: this.cost(totalOf(now.allocation), 0, now.files),
    };
  }

  proveCopy({ planned, original, here, number, whole }: Copied): ProveStep {
    return {
      kind: 'prove',
      name: nameOf(planned),
      number,
      by: whole ? 'whole' : 'files',
      at: placeOf(planned),
      files: original.files,
      ...(here ? { measure: original.number } : {}),
      cost: this.cost(inUse(original), 0, original.files),
    };
  }

  mark({ planned }: Kept): MarkStep {
    return { kind: 'mark', name: nameOf(planned), at: placeOf(planned), cost: this.cost(0, SECTOR_WRITE, 2) };
  }

  table(table: Exclude<DiskTable, { kind: 'none' }>, volumes: readonly LaidVolume[]): TableStep {
    const { size, sectorSize, findings, table: from } = this.survey;
    const mends = findings.filter((f) => f.severity !== 'info').map((f) => f.message);
    const bytes = table.kind === 'gpt' ? 2 * gptRoom(table, size, sectorSize).first : sectorSize;
    const name = 'the partition table';
    return { kind: 'table', name, table, from, volumes: volumes.length, mends, cost: this.cost(0, bytes, 2) };
  }
}

/** A serial number that is the same for the same plan of the same disk. */
function serialOf(volume: LaidVolume, { partitions, size }: Survey): number {
  const { start, length, fileSystem, label, origin } = volume;
  const told = [partitions, size, start, length, fileSystem, label];
  // Copies are told from what is made at the same place, and from each other.
  const text = JSON.stringify(isMade(volume) ? told : [...told, origin]);
  return crc32(new TextEncoder().encode(text));
}
