/**
 * Folders that go to a volume of their own where there is not the room for both at once: in rounds. The volume they come
 * from gives what it can, takes of the folders go there, and are taken away; then it can give more, and so on. How far it
 * can give each time is tried out on it, in memory and by reference: nothing of the disk is written. Where that does not do,
 * and another disk lends room, all of them go by way of it.
 */
import { OverlayDevice, WindowDevice, type BlockDevice } from '@/core/device';
import { hasErrors } from '@/core/errors';
import {
  comesBackTo,
  factsOfTransfer,
  listTree,
  partOfTree,
  partWithin,
  removedOf,
  storedSizes,
  takenBy,
  type Part,
} from '@/core/files';
import { kindFacts, probeFileSystem, type Volume } from '@/core/fs';
import { volumeNumbered, type Survey } from '@/core/inspect';
import { ALIGNMENT, endOf, nameOf, type LaidVolume, type Layout } from '@/core/layout';
import { isHere } from '@/core/place';
import { startBehind, type PlannedTransfer, type Scratch } from '@/core/plan';
import { applyNow } from '@/core/run';
import { ceilTo, floorTo, formatSize, MIB } from '@/core/size';
import { clusterSizeOf } from './resolve-transfers';

/** What a volume keeps beyond its floor between two rounds: a floor is the very least, and links come to it. */
const SPARE = 4 * MIB;
const SPARE_SHARE = 0.005;
/** What stays free on the new volume between two rounds. */
const TARGET_SHARE = 0.01;

/** More of them, and somebody had better look for another way. */
const MOST_ROUNDS = 100;

/** What goes in a round, and what is left for others. */
interface Taken {
  readonly going: readonly PlannedTransfer[];
  readonly left: PlannedTransfer[];
}

interface Subject {
  readonly source: LaidVolume;
  readonly number: number;
  readonly target: LaidVolume;
}

/**
 * The transfers, with the rounds they go in where that is the only way, a folder that is more than can be given at a time in
 * parts, or with why rounds would not do either; as they were where no rounds are needed.
 */
export async function inRounds(
  transfers: readonly PlannedTransfer[],
  layout: Layout,
  survey: Survey,
  windowOf: (number: number) => Promise<BlockDevice>,
  lent: readonly Scratch[] = [],
): Promise<PlannedTransfer[]> {
  const subject = subjectOf(transfers, layout, survey);
  if (!subject) return [...transfers];
  const window = await windowOf(subject.number);
  const trial = (): Promise<Trial> => Trial.begin(subject, window, layout, survey.sectorSize);
  const found = await (await trial()).rounds(transfers);
  const [first] = found;
  if (!first?.round || !('fault' in first.round)) return found;
  return (await trial()).byAnother(transfers, lent, first.round.fault);
}

/** The volume that gives room and the one that gets it, where there is one of each and the first can't give all at once. */
function subjectOf(transfers: readonly PlannedTransfer[], layout: Layout, survey: Survey): Subject | undefined {
  const [first] = transfers;
  if (!first || !isHere(first.from) || first.then !== 'remove') return undefined;
  const same = transfers.every(
    ({ from, to, then }) => isHere(from) && from.number === first.from.number && to === first.to && then === 'remove',
  );
  const now = volumeNumbered(survey, first.from.number);
  const source = layout.volumes.find((v) => v.origin.kind === 'kept' && v.origin.number === first.from.number);
  const target = layout.volumes.find((v) => v.id === first.to);
  if (
    !same ||
    !now?.limits ||
    hasErrors(now.findings) ||
    now.info?.unsettled ||
    !source ||
    source.format ||
    target?.origin.kind !== 'new'
  )
    return undefined;
  // Only where the new volume stands where the old one is, and what it leaves is less than it can be by now.
  const meets = source.start === now.start && target.start >= endOf(source) && target.start < now.start + now.length;
  return meets && source.length < now.limits.floor.bytes ? { source, number: now.number, target } : undefined;
}

class Trial {
  #length: number;
  #used = 0;

  private constructor(
    private readonly subject: Subject,
    private readonly overlay: OverlayDevice,
    private readonly layout: Layout,
    private readonly sectorSize: number,
  ) {
    this.#length = overlay.size;
  }

  static async begin(subject: Subject, window: BlockDevice, layout: Layout, sectorSize: number): Promise<Trial> {
    return new Trial(subject, await OverlayDevice.open(window), layout, sectorSize);
  }

  /** All of them with their rounds, or with why there are none. */
  async rounds(transfers: readonly PlannedTransfer[]): Promise<PlannedTransfer[]> {
    const out: PlannedTransfer[] = [];
    let left = [...transfers];
    for (let index = 0; left.length > 0; index++) {
      const length = await this.#give();
      const free = this.#freeAt(length);
      const whole = this.#fitting(left, free);
      const taken = whole.length > 0 ? { going: whole, left: without(left, whole) } : await this.#cut(left, free);
      if ('fault' in taken) return transfers.map((t) => ({ ...t, round: taken }));
      if (index >= MOST_ROUNDS) return transfers.map((t) => ({ ...t, round: { fault: tooLittle(free) } }));
      for (const transfer of taken.going) {
        out.push({ ...transfer, round: { index, length } });
        this.#used += transfer.facts.needs;
        await this.#takeAway(transfer);
      }
      left = taken.left;
    }
    const fault = await this.#tooLarge();
    return fault === undefined ? out : transfers.map((t) => ({ ...t, round: { fault } }));
  }

  /**
   * All of them at once, by way of room that another disk lends, which has to have sectors of the same size; or with why not
   * either, and how much room in one piece would do.
   */
  async byAnother(
    transfers: readonly PlannedTransfer[],
    lent: readonly Scratch[],
    otherwise: string,
  ): Promise<PlannedTransfer[]> {
    const { target } = this.subject;
    const needs = transfers.reduce((sum, t) => sum + t.facts.needs, 0);
    const given = (round: PlannedTransfer['round']): PlannedTransfer[] => transfers.map((t) => ({ ...t, round }));
    if (this.#freeIn(target.length) < needs) return given({ fault: otherwise });
    const length = this.#length;
    for (const transfer of transfers) await this.#takeAway(transfer);
    const fault = await this.#tooLarge();
    if (fault !== undefined) return given({ fault });
    const needed = this.#leastFor(needs);
    const room = lent
      .filter((l) => l.sectorSize === this.sectorSize && l.length >= needed)
      .reduce<Scratch | undefined>((a, b) => (a && a.length >= b.length ? a : b), undefined);
    if (!room) return given({ fault: otherwise, needed });
    const { disk, name, start } = room;
    const size = Math.min(target.length, floorTo(room.length, ALIGNMENT));
    return given({ index: 0, length, away: { disk, name, start, length: size } });
  }

  /** Why what stays would not do with what was planned for it, where it would not, once all of it has been taken away. */
  async #tooLarge(): Promise<string | undefined> {
    const { source } = this.subject;
    if ((await this.#give()) <= source.length) return undefined;
    return `${nameOf(source)} would still have to be ${formatSize(this.#length)} once all of it is gone. Make the new volume smaller`;
  }

  /** The shortest that the new volume can be to take so many bytes. */
  #leastFor(needs: number): number {
    let [low, high] = [0, Math.ceil(this.subject.target.length / ALIGNMENT)];
    while (high - low > 1) {
      const middle = Math.floor((low + high) / 2);
      if (this.#freeIn(middle * ALIGNMENT) < needs) low = middle;
      else high = middle;
    }
    return Math.min(this.subject.target.length, high * ALIGNMENT);
  }

  /** A part of one of them that there is room for, and what is left then; or why there is none. */
  async #cut(left: readonly PlannedTransfer[], free: number): Promise<Taken | { fault: string }> {
    const volume = await this.#open();
    const faults: string[] = [];
    for (const wish of left) {
      const cut = await this.#partOf(wish, volume, free);
      if (typeof cut === 'string') faults.push(cut);
      else return { going: [cut.going], left: left.map((t) => (t === wish ? cut.rest : t)) };
    }
    return { fault: faults[0]! };
  }

  async #partOf(
    wish: PlannedTransfer,
    volume: Volume,
    free: number,
  ): Promise<Record<'going' | 'rest', PlannedTransfer> | string> {
    const { folder, under } = wish;
    const { target } = this.subject;
    const tree = await listTree(volume, folder);
    const what = folder || 'everything';
    const kind = kindFacts(target.fileSystem);
    // Of a folder that goes in parts already this was seen of all of it.
    if (!wish.part && !comesBackTo(tree.entries, wish, kind.holds))
      return `folders in ${what} get other names on ${nameOf(target)}, so that it can’t go in parts`;
    const clusterSize = clusterSizeOf(target, this.layout.sectorSize);
    const stored = await storedSizes(volume, tree.entries);
    const takes = takenBy({ target: kind, clusterSize, stored });
    const from = wish.part?.from;
    const part = partWithin(
      tree.entries,
      from,
      free - (kind.holds.ahead ?? 0),
      (e) => takes.clusters(e) + takes.name(e),
    );
    const given = `${formatSize(Math.max(0, free))} can be given at a time`;
    if (!part?.until) {
      const largest = tree.entries.reduce((a, b) => (takes.clusters(b) > takes.clusters(a) ? b : a));
      const alone = takes.clusters(largest);
      if (alone > free) return `${largest.path} takes up to ${formatSize(alone)}, and ${given}`;
      return `names of the same files stand all over ${what}, so that they have to go together, and ${given}`;
    }
    const source = kindFacts(volume.info.kind);
    const facts = { folder, under, source, target: kind, clusterSize, existing: [], stored };
    const only = (own: Part): PlannedTransfer => {
      return { ...wish, part: own, facts: factsOfTransfer({ ...facts, tree: partOfTree(tree, own) }) };
    };
    return { going: only(part), rest: only({ from: part.until }) };
  }

  /** Makes the volume as small as it gets by now, and no smaller than it shall be. Bytes. */
  async #give(): Promise<number> {
    const volume = await this.#open();
    const { floor } = await volume.limits();
    const least = ceilTo(floor.bytes * (1 + SPARE_SHARE) + SPARE, ALIGNMENT);
    const wanted = Math.max(this.subject.source.length, least);
    if (wanted >= this.#length) return this.#length;
    await applyNow(this.overlay, 0, await volume.allocation(), (tx) => volume.shrink(wanted, tx));
    this.#length = wanted;
    return wanted;
  }

  async #takeAway({ folder, part }: PlannedTransfer): Promise<void> {
    const volume = await this.#open();
    const all = await removedOf(volume, folder, part);
    await applyNow(this.overlay, 0, await volume.allocation(), async (tx) => {
      const writer = await volume.writer(tx);
      for (const path of all) await writer.remove(path);
      await writer.finish();
    });
  }

  async #open(): Promise<Volume> {
    const window = new WindowDevice(this.overlay, 0, this.#length);
    return (await probeFileSystem(window))!.driver.open(window);
  }

  /** What is free on the new volume while the old one is so long. */
  #freeAt(length: number): number {
    const { source, target } = this.subject;
    return this.#freeIn(endOf(target) - startBehind(source.start + length, target)) - this.#used;
  }

  /** What the new volume has room for, so long. */
  #freeIn(size: number): number {
    const { target } = this.subject;
    const clusterSize = clusterSizeOf(target, this.layout.sectorSize);
    const structures = kindFacts(target.fileSystem).holds.structures(size, this.sectorSize, clusterSize, target.chosen);
    return size * (1 - TARGET_SHARE) - structures;
  }

  /** In the order they were asked for, as many as there is room for. */
  #fitting(left: readonly PlannedTransfer[], free: number): PlannedTransfer[] {
    let room = free;
    return left.filter(({ facts: { needs } }) => {
      if (needs > room) return false;
      room -= needs;
      return true;
    });
  }
}

const tooLittle = (free: number): string =>
  `${formatSize(Math.max(0, free))} can be given at a time, so that it would take more than ${MOST_ROUNDS} rounds`;

const without = (all: readonly PlannedTransfer[], some: readonly PlannedTransfer[]): PlannedTransfer[] =>
  all.filter((t) => !some.includes(t));
