/** The steps of a plan's transfers, and what they mean for the volumes they are between. */
import type { SurveyedVolume } from '@/core/inspect';
import type { Place } from '@/core/place';
import { isMade, type LaidVolume, type VolumeId } from '@/core/layout';
import { lossOf, type StepMakers } from './step-makers';
import type { Loss, MakeStep, ProveStep, Receives, Step } from './steps';
import type { Kept } from './subjects';
import { TransferMakers } from './transfer-makers';
import { isLastPart, isTaken, leftOut, type Transferred, type TransferTime } from './transfers';

const TIMES: readonly TransferTime[] = ['first', 'before the table', 'last'];

export class TransferSteps {
  readonly #inOrder: readonly Transferred[];
  private readonly make: TransferMakers;

  constructor(
    all: readonly Transferred[],
    private readonly costs: Pick<StepMakers, 'cost'>,
  ) {
    this.make = new TransferMakers(costs);
    const roundOf = ({ round }: Transferred): number => (round && 'index' in round ? round.index : 0);
    this.#inOrder = TIMES.flatMap((time) => all.filter((t) => t.when === time)).sort((a, b) => roundOf(a) - roundOf(b));
  }

  /** Those that go in rounds, all from one volume to another. */
  get inRounds(): readonly Transferred[] {
    return this.#inOrder.filter((t) => t.round);
  }

  /** Takes, compares and takes away what goes in one round, from where its volume is by then to where the new one is. */
  moved(now: readonly Transferred[], place: Place, at: Place): Step[] {
    const placed = now.map((t) => ({ ...t, place, at }));
    return [
      ...placed.map((t) => this.make.transfer(t)),
      ...now.map((t, i) => this.make.compare(placed[i]!, this.#cameTo(t.to, t), false)),
      ...placed.map((t) => this.make.clear(t)),
    ];
  }

  /** Compares what went to a volume that has come to its place since. */
  comparedAgain(now: readonly Transferred[], at: Place): Step[] {
    return now.map((t) => this.make.compare({ ...t, at }, this.#cameTo(t.to, t), false));
  }

  /** Volumes that go, and stay where they are until what is wanted of them has been taken. */
  get standing(): SurveyedVolume[] {
    return this.#inOrder.flatMap((t) => (t.when === 'before the table' ? [t.source] : []));
  }

  /** New volumes that are made before the table is written, since they are filled by then. */
  get madeEarly(): ReadonlySet<VolumeId> {
    return new Set(this.#inOrder.flatMap((t) => (t.when === 'before the table' ? [t.to] : [])));
  }

  /** Volumes that grow over those whose files they take over, and the numbers of those. */
  get growing(): ReadonlySet<VolumeId> {
    return new Set(this.#inOrder.flatMap((t) => (t.adopts ? [t.to] : [])));
  }

  get adopted(): ReadonlySet<number> {
    return new Set(this.#inOrder.flatMap((t) => (t.adopts ? [t.measure] : [])));
  }

  /** Numbers of volumes of this disk that files are taken from. */
  get read(): readonly number[] {
    return this.#inOrder.flatMap((t) => (t.here ? [t.measure] : []));
  }

  /** Bytes that have to be carried in any case. */
  get leastCarried(): number {
    return this.#inOrder.reduce((sum, t) => sum + (t.adopts ? 0 : t.facts.bytes), 0);
  }

  /** What is lost with a volume that goes: all on it, unless everything is taken to another one before. */
  lossOf(now: SurveyedVolume): Loss | undefined {
    const all = this.#inOrder.find((t) => t.here === 'going' && t.measure === now.number && t.folder === '');
    return all ? leftOut(all) : lossOf(now);
  }

  changes({ planned, now }: Kept): boolean {
    return this.#inOrder.some(
      (t) => t.to === planned.id || t.home?.planned.id === planned.id || isTakenFrom(t, now.number),
    );
  }

  /** What reads the sources that nothing else reads as a measure, each once. */
  measures(read: ReadonlySet<number>): Step[] {
    const unread = this.#inOrder.filter((t) => (t.here !== 'kept' || isAnew(t)) && !read.has(t.measure));
    const once = unread.filter((t, i) => unread.findIndex((u) => u.measure === t.measure) === i);
    const taken = new Set(this.#inOrder.filter(isTaken).map((t) => t.measure));
    return once.map((t) => this.make.checkSource(t, taken.has(t.measure)));
  }

  /** Brings in the journals of volumes of other disks from which something is taken away, where they hold anything. */
  settles(): Step[] {
    return this.#takenElsewhere().flatMap((t) => (t.source.info?.unsettled ? [this.make.settleSource(t)] : []));
  }

  /** The proofs of volumes of other disks from which something is taken away. */
  proveSources(): ProveStep[] {
    return this.#takenElsewhere().map((t) => this.#withGiven(this.make.proveSource(t), t.source.info!.kind));
  }

  /** A transfer for each volume of another disk from which something is taken away. */
  #takenElsewhere(): Transferred[] {
    const taken = this.#inOrder.filter((t) => isTaken(t) && t.here === undefined);
    return taken.filter((t, i) => taken.findIndex((u) => u.measure === t.measure) === i);
  }

  /** The steps of a time: all is taken, then compared, before anything is taken away. */
  at(when: TransferTime): Step[] {
    const now = this.#inOrder.filter((t) => t.when === when && !t.round);
    const goes = (t: Transferred): boolean => !t.adopts && (t.then !== 'keep' || t.here === 'going');
    const leaving = now.filter(goes);
    return [
      ...now.map((t) => (t.adopts ? this.make.adopt(t) : this.make.transfer(t))),
      ...leaving.map((t) => this.make.compare(t, this.#cameTo(t.to, t), isAnew(t) && this.#isLastOf(t, leaving))),
      ...now.filter((t) => t.then !== 'keep' && t.here !== 'going' && !isAnew(t)).map((t) => this.make.clear(t)),
      ...(when === 'last' ? this.#backs() : []),
    ];
  }

  /** Whether nothing of a volume is needed once this has been compared. */
  #isLastOf(transferred: Transferred, leaving: readonly Transferred[]): boolean {
    return leaving.findLast((t) => t.measure === transferred.measure) === transferred;
  }

  /** What was parked is brought back, compared, and taken away where it was parked. */
  #backs(): Step[] {
    const parked = this.#inOrder.flatMap((t) => (t.home ? [{ ...t, home: t.home }] : []));
    const tops = parked.filter(
      (t, i) => parked.findIndex((u) => u.to === t.to && u.home.back.top === t.home.back.top) === i,
    );
    return [
      ...parked.map((t) => this.make.bringBack(t)),
      ...parked.map((t) => this.make.compareBack(t)),
      ...tops.map((t) => this.make.clearParked(t)),
    ];
  }

  /** A volume that is made anew, without what is brought back to it among what is lost. */
  spared(step: MakeStep, { id }: LaidVolume): MakeStep {
    const { loses, ...rest } = step;
    const kept = this.#inOrder.filter((t) => t.home?.planned.id === id);
    if (!loses || kept.length === 0) return step;
    if (kept.some((t) => t.folder === '')) return rest;
    const sum = (of: 'files' | 'bytes'): number => kept.reduce((n, t) => n + t.facts[of], 0);
    const [files, bytes] = [Math.max(0, loses.files - sum('files')), Math.max(0, loses.bytes - sum('bytes'))];
    return { ...rest, loses: { files, bytes } };
  }

  /** What has come to a volume in the order in which it came, up to one transfer and with it. */
  #cameTo(id: VolumeId, last?: Transferred): Receives[] {
    const until = last ? this.#inOrder.indexOf(last) + 1 : undefined;
    const returned = last ? [] : this.#inOrder.filter((t) => isAnew(t) && t.home?.planned.id === id);
    return [
      ...this.#inOrder.slice(0, until).filter((t) => t.to === id && (last !== undefined || !t.home)),
      ...returned.map((t) => ({ ...t, under: t.folder, facts: t.home!.back.facts })),
    ].map(({ measure, folder, under, part, adopts, facts }) => ({
      measure,
      folder,
      under,
      ...(part ? { part } : {}),
      ...(adopts ? { adopted: true as const } : {}),
      ...(facts.loses.compression ? { uncompressed: true as const } : {}),
    }));
  }

  /** A proof with what comes to its volume and goes from it in the run. */
  accounted(step: ProveStep, planned: LaidVolume): ProveStep {
    const receives = this.#cameTo(planned.id);
    const given = this.#withGiven(step, planned.fileSystem);
    if (receives.length === 0 && given === step) return step;
    const bytes = this.#inOrder.reduce((sum, t) => sum + (t.to === planned.id && !t.home ? t.facts.bytes : 0), 0);
    const cost = step.made ? step.cost : this.costs.cost(step.cost.reads + bytes, 0, step.files);
    return { ...given, receives, fileSystem: planned.fileSystem, cost };
  }

  /** A proof with what goes from its volume in the run. */
  #withGiven(step: ProveStep, fileSystem: string): ProveStep {
    const gives = this.#inOrder
      .filter((t) => isTakenFrom(t, step.number) && isLastPart(t))
      .map((t) => ({ folder: t.folder, ...(t.link ? { link: t.link } : {}) }));
    return gives.length > 0 ? { ...step, gives, fileSystem } : step;
  }

  /** The proofs of new volumes that files came to. */
  proveMade(): ProveStep[] {
    const made = this.#inOrder.flatMap((t) => [
      ...(isMade(t.target) && !t.home ? [t] : []),
      ...(isAnew(t) && t.home ? [{ ...t, to: t.home.planned.id, target: t.home.planned, number: t.home.number }] : []),
    ]);
    const once = made.filter((t, i) => made.findIndex((u) => u.to === t.to) === i);
    return once.map((t) => this.accounted(this.make.proveMade(t), t.target));
  }
}

/** Whether the volume that it comes from, and comes back to, is made anew meanwhile. */
const isAnew = ({ home }: Transferred): boolean => home !== undefined && isMade(home.planned);

const isTakenFrom = (transferred: Transferred, number: number): boolean =>
  isTaken(transferred) && transferred.measure === number;
