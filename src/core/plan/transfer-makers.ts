/** The steps of transfers, each from what it is about, with what it costs on the medium. */
import { isMade, nameOf } from '@/core/layout';
import { secondsFor } from './medium';
import { inUse, SECTOR_WRITE, type StepMakers } from './step-makers';
import type {
  AdoptStep,
  CheckStep,
  ClearStep,
  CompareStep,
  ProveStep,
  Receives,
  SettleStep,
  TransferStep,
} from './steps';
import { placeOf } from './subjects';
import { isLastPart, leftOut, type Home, type Transferred } from './transfers';

/** A transfer of what is brought back. */
type Parked = Transferred & { readonly home: Home };

export class TransferMakers {
  constructor(private readonly make: Pick<StepMakers, 'cost'>) {}

  /** Reads what files are taken from, as the measure for them. */
  checkSource({ source, sourceName, measure, place, here, speed }: Transferred, taken: boolean): CheckStep {
    return {
      kind: 'check',
      name: sourceName,
      number: measure,
      by: 'files',
      changes: taken,
      at: { disk: place.disk, start: source.start, length: source.length },
      files: source.files,
      // What can't be read is taken away from nowhere.
      ...(here || taken ? {} : { salvage: true }),
      cost: this.make.cost(inUse(source), 0, source.files, 0, speed),
    };
  }

  transfer({ target, sourceName, place, at, folder, under, part, facts, speed }: Transferred): TransferStep {
    const seeks = 2 * facts.files;
    const across = speed ? secondsFor(speed, facts.bytes, 0, facts.files) : 0;
    const cost = this.make.cost(speed ? 0 : facts.bytes, facts.needs, seeks, facts.bytes);
    return {
      kind: 'transfer',
      name: nameOf(target),
      from: place,
      source: sourceName,
      at,
      fileSystem: target.fileSystem,
      folder,
      under,
      ...(part ? { part } : {}),
      facts,
      cost: { ...cost, reads: facts.bytes, seconds: cost.seconds + across },
    };
  }

  /** Grows the target over the source, whose files it takes over. */
  adopt({ target, source, sourceName, place, at, under, facts }: Transferred): AdoptStep {
    return {
      kind: 'adopt',
      name: nameOf(target),
      at,
      to: target.length,
      from: place,
      source: sourceName,
      fileSystem: source.info!.kind,
      under,
      facts,
      cost: this.make.cost(facts.structures, 2 * facts.structures, 16),
    };
  }

  /** What was parked, from where it is in the end to where it was. */
  bringBack({ target, source, sourceName, folder, under, home, facts }: Parked): TransferStep {
    const { bytes, needs } = home.back.facts;
    return {
      kind: 'transfer',
      name: isMade(home.planned) ? nameOf(home.planned) : sourceName,
      from: placeOf(target),
      source: nameOf(target),
      at: placeOf(home.planned),
      fileSystem: isMade(home.planned) ? home.planned.fileSystem : source.info!.kind,
      folder: under,
      under: folder,
      facts: home.back.facts,
      back: true,
      cost: { ...this.make.cost(bytes, needs, 2 * facts.files, bytes), reads: bytes },
    };
  }

  compareBack({ measure, folder, home, facts }: Parked): CompareStep {
    return {
      kind: 'compare',
      name: nameOf(home.planned),
      number: measure,
      at: placeOf(home.planned),
      fileSystem: home.planned.fileSystem,
      files: facts.files,
      receives: [],
      returns: folder,
      cost: this.make.cost(facts.bytes, 0, facts.files),
    };
  }

  clearParked({ target, home, facts: { files, bytes } }: Parked): ClearStep {
    return {
      kind: 'clear',
      name: nameOf(target),
      at: placeOf(target),
      folder: home.back.top,
      fileSystem: target.fileSystem,
      files,
      bytes,
      cost: this.make.cost(0, SECTOR_WRITE + files * SECTOR_WRITE, files),
    };
  }

  /** @param frees whether what it was taken from is nobody's from then on */
  compare(
    { target, at, number, facts, place }: Transferred,
    receives: readonly Receives[],
    frees: boolean,
  ): CompareStep {
    return {
      ...(frees ? { frees: place } : {}),
      kind: 'compare',
      name: nameOf(target),
      number,
      at,
      fileSystem: target.fileSystem,
      files: facts.files,
      receives,
      cost: this.make.cost(facts.bytes, 0, facts.files),
    };
  }

  clear(transferred: Transferred): ClearStep {
    const { source, sourceName, place, folder, part, facts } = transferred;
    const link = isLastPart(transferred) ? transferred.link : undefined;
    const loses = leftOut(transferred);
    const { files, bytes } = facts;
    const cost = this.make.cost(0, SECTOR_WRITE + files * SECTOR_WRITE, files);
    const fileSystem = source.info!.kind;
    const left = { ...(link ? { link } : {}), ...(loses ? { loses } : {}) };
    const what = { folder, ...(part ? { part } : {}) };
    return { kind: 'clear', name: sourceName, at: place, ...what, ...left, fileSystem, files, bytes, cost };
  }

  /** Brings in the journal of a volume of another disk, before anything is taken away there. */
  settleSource({ sourceName, place }: Transferred): SettleStep {
    return { kind: 'settle', name: sourceName, at: place, cost: this.make.cost(0, SECTOR_WRITE, 16) };
  }

  /** The proof of a volume of another disk from which something was taken away. */
  proveSource({ source, sourceName, measure, place, speed }: Transferred): ProveStep {
    return {
      kind: 'prove',
      name: sourceName,
      number: measure,
      by: 'files',
      at: place,
      files: source.files,
      cost: this.make.cost(inUse(source), 0, source.files, 0, speed),
    };
  }

  /** The proof of a new volume that files came to. */
  proveMade({ target, number, facts }: Transferred): ProveStep {
    return {
      kind: 'prove',
      name: nameOf(target),
      number,
      made: true,
      by: 'files',
      at: placeOf(target),
      files: facts.files,
      cost: this.make.cost(facts.bytes, 0, facts.files),
    };
  }
}
