/** What the carrying out of a step works with: the disks, the journal, and the one way to change anything. */
import { WindowDevice, type BlockDevice } from '@/core/device';
import { CoreError } from '@/core/errors';
import { probeFileSystem, type ByteRange, type Volume } from '@/core/fs';
import { HERE, isHere, type DiskId, type Place } from '@/core/place';
import { stepWrites } from '@/core/plan';
import type { VolumeProof } from '@/core/proof';
import { tableWrites, type DiskTable } from '@/core/table';
import { applyTransaction, commitToJournal } from '../commit';
import type { RunState } from '../journal-state';
import type { RunPorts } from '../ports';
import { StepTransaction } from '../step-transaction';

/** The table is the disk's first sector, and nothing of the disk is free to its step. */
const TABLE_START = 0;

export class StepContext {
  constructor(
    /** The step's number in its plan, from 0. */
    readonly index: number,
    readonly state: RunState,
    readonly ports: RunPorts,
    /** Told of the bytes read or carried so far. */
    readonly report: (bytes: number) => void,
    /** Takes the proof of a volume. */
    readonly proven: (proof: VolumeProof) => void,
  ) {}

  /** The disk that a place is on. @throws CoreError `run.source`, `run.elsewhere` when it is not at hand */
  disk(place: Place): BlockDevice {
    if (isHere(place)) return this.ports.disk;
    const device = this.ports.others?.get(place.disk);
    const source = this.state.plan.sources.find((s) => s.disk === place.disk);
    if (!device && source) throw new CoreError('run.source', { name: source.name, reason: 'it is not at hand' });
    const name = this.state.plan.lent.find((l) => l.disk === place.disk)?.name ?? 'the other disk';
    if (!device) throw new CoreError('run.elsewhere', { name, reason: 'it is not at hand' });
    if (place.start + place.length > device.size)
      throw new CoreError('run.elsewhere', { name, reason: 'it has become smaller' });
    return device;
  }

  window(place: Place): WindowDevice {
    return new WindowDevice(this.disk(place), place.start, place.length);
  }

  /** The volume in a window. @throws CoreError `fs.unknown` */
  async open(window: BlockDevice): Promise<Volume> {
    const probed = await probeFileSystem(window);
    if (!probed) throw new CoreError('fs.unknown', { offset: 0 });
    return probed.driver.open(window);
  }

  /** A transaction on what begins at a place, of which the sorted ranges are live. */
  transaction({ disk, start }: Pick<Place, 'disk' | 'start'>, live: readonly ByteRange[]): StepTransaction {
    let carried = 0;
    const { signal } = this.ports;
    return new StepTransaction(this.#written(disk), start, live, {
      ...(signal ? { signal } : {}),
      carried: (bytes) => {
        carried += bytes;
        this.report(carried);
      },
    });
  }

  /** A transaction on the table, in which nothing of the disk is free. */
  tableTransaction(): StepTransaction {
    return this.transaction({ disk: HERE, start: TABLE_START }, [{ start: TABLE_START, end: this.ports.disk.size }]);
  }

  /** Writes a table in a transaction that begins at `start`. */
  async writeTable(tx: StepTransaction, table: DiskTable | undefined, start = TABLE_START): Promise<void> {
    for (const { offset, bytes } of table ? await tableWrites(this.ports.disk, table) : [])
      await tx.write(offset - start, bytes);
  }

  /** Makes a transaction durable, applies it, and marks the step done. */
  async commit(tx: StepTransaction): Promise<void> {
    const disk = this.#written(stepWrites(this.state.plan.steps[this.index]!));
    await commitToJournal(disk, this.ports.journal, this.index, tx);
    await applyTransaction(disk, this.ports.journal, this.index, tx);
  }

  #written(disk: DiskId): BlockDevice {
    return this.disk({ disk, start: 0, length: 0 });
  }

  /** Marks a step done that writes nothing. */
  async markDone(): Promise<void> {
    await this.ports.journal.append({ kind: 'done', step: this.index });
    await this.ports.journal.flush();
  }

  /** Changes a volume where it is. */
  async change(at: Place, act: (volume: Volume, tx: StepTransaction) => Promise<void>): Promise<void> {
    const volume = await this.open(this.window(at));
    const tx = this.transaction(at, await volume.allocation());
    await act(volume, tx);
    await this.commit(tx);
  }
}

/** How a step of a kind is carried out. It returns when the step is marked done. */
export type StepRunner<S> = (step: S, context: StepContext) => Promise<void>;
