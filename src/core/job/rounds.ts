/**
 * Folders that go to a volume of their own where there is not the room for both at once: in rounds. The volume they come
 * from gives what it can, takes of the folders go there, and are taken away; then it can give more, and so on. How far it
 * can give each time is tried out on it, in memory and by reference: nothing of the disk is written.
 */
import { OverlayDevice, WindowDevice, type BlockDevice } from '@/core/device';
import { hasErrors } from '@/core/errors';
import { kindFacts, probeFileSystem, type Volume } from '@/core/fs';
import { volumeNumbered, type Survey } from '@/core/inspect';
import { ALIGNMENT, endOf, nameOf, type LaidVolume, type Layout } from '@/core/layout';
import { isHere } from '@/core/place';
import { startBehind, type PlannedTransfer } from '@/core/plan';
import { applyNow } from '@/core/run';
import { ceilTo, formatSize, MIB } from '@/core/size';
import { clusterSizeOf } from './resolve-transfers';

/** What a volume keeps beyond its floor between two rounds: a floor is the very least, and links come to it. */
const SPARE = 4 * MIB;
const SPARE_SHARE = 0.005;
/** What stays free on the new volume between two rounds. */
const TARGET_SHARE = 0.01;

interface Subject {
  readonly source: LaidVolume;
  readonly number: number;
  readonly target: LaidVolume;
}

/**
 * The transfers, with the rounds they go in where that is the only way, or with why rounds would not do either; as they were
 * where no rounds are needed.
 */
export async function inRounds(
  transfers: readonly PlannedTransfer[],
  layout: Layout,
  survey: Survey,
  windowOf: (number: number) => Promise<BlockDevice>,
): Promise<PlannedTransfer[]> {
  const subject = subjectOf(transfers, layout, survey);
  if (!subject) return [...transfers];
  const trial = new Trial(subject, await windowOf(subject.number), layout, survey.sectorSize);
  const rounds = await trial.rounds(transfers);
  return transfers.map((t, i) => ({ ...t, round: rounds[i]! }));
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

  constructor(
    private readonly subject: Subject,
    private readonly window: BlockDevice,
    private readonly layout: Layout,
    private readonly sectorSize: number,
  ) {
    this.#length = window.size;
  }

  /** The round of each transfer, or why there is none. */
  async rounds(transfers: readonly PlannedTransfer[]): Promise<NonNullable<PlannedTransfer['round']>[]> {
    const out: NonNullable<PlannedTransfer['round']>[] = [];
    const left = new Set(transfers.keys());
    const overlay = await OverlayDevice.open(this.window);
    for (let index = 0; left.size > 0; index++) {
      const length = await this.#give(overlay);
      const free = this.#freeAt(length);
      const going = this.#fitting([...left], transfers, free);
      if (going.length === 0) {
        const fault = this.#fault(
          [...left].map((i) => transfers[i]!),
          free,
        );
        return transfers.map(() => ({ fault }));
      }
      for (const i of going) {
        await this.#takeAway(overlay, transfers[i]!.folder);
        out[i] = { index, length };
        left.delete(i);
      }
    }
    // What is left has to be small enough for what was planned.
    if ((await this.#give(overlay)) <= this.subject.source.length) return out;
    const fault = `${nameOf(this.subject.source)} would still have to be ${formatSize(this.#length)} once all of it is gone. Make the new volume smaller`;
    return transfers.map(() => ({ fault }));
  }

  /** Makes the volume as small as it gets by now, and no smaller than it shall be. Bytes. */
  async #give(overlay: OverlayDevice): Promise<number> {
    const volume = await this.#open(overlay);
    const { floor } = await volume.limits();
    const least = ceilTo(floor.bytes * (1 + SPARE_SHARE) + SPARE, ALIGNMENT);
    const wanted = Math.max(this.subject.source.length, least);
    if (wanted >= this.#length) return this.#length;
    await applyNow(overlay, 0, await volume.allocation(), (tx) => volume.shrink(wanted, tx));
    this.#length = wanted;
    return wanted;
  }

  async #takeAway(overlay: OverlayDevice, folder: string): Promise<void> {
    const volume = await this.#open(overlay);
    await applyNow(overlay, 0, await volume.allocation(), async (tx) => {
      const writer = await volume.writer(tx);
      await writer.remove(folder);
      await writer.finish();
    });
  }

  async #open(overlay: OverlayDevice): Promise<Volume> {
    const window = new WindowDevice(overlay, 0, this.#length);
    return (await probeFileSystem(window))!.driver.open(window);
  }

  /** What is free on the new volume while the old one is so long. */
  #freeAt(length: number): number {
    const { source, target } = this.subject;
    const size = endOf(target) - startBehind(source.start + length, target);
    const clusterSize = clusterSizeOf(target, this.layout.sectorSize);
    const structures = kindFacts(target.fileSystem).holds.structures(size, this.sectorSize, clusterSize, target.chosen);
    return size * (1 - TARGET_SHARE) - structures - this.#used;
  }

  /** In the order they were asked for, as many as there is room for. */
  #fitting(left: readonly number[], transfers: readonly PlannedTransfer[], free: number): number[] {
    let room = free;
    return left.filter((i) => {
      const { needs } = transfers[i]!.facts;
      if (needs > room) return false;
      room -= needs;
      this.#used += needs;
      return true;
    });
  }

  #fault(left: readonly PlannedTransfer[], free: number): string {
    const smallest = [...left].sort((a, b) => a.facts.needs - b.facts.needs)[0]!;
    return `${smallest.folder} takes up to ${formatSize(smallest.facts.needs)}, and ${formatSize(Math.max(0, free))} can be given at a time. Take the folders in it one by one, or have another disk lend room`;
  }
}
