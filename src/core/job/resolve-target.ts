/** The planned layout that a target asks for on a surveyed disk: places and sizes worked out, rounding told. */
import { CoreError } from '@/core/errors';
import { chosenFault, findKind } from '@/core/fs';
import { boundsOf, laidFrom, type Survey } from '@/core/inspect';
import {
  ALIGNMENT,
  blankLayout,
  convertTable,
  endOf,
  firstUsable,
  laidCopy,
  newTable,
  settle,
  type CopySource,
  type LaidVolume,
  type Layout,
  type TransferWish,
  type VolumeId,
} from '@/core/layout';
import { ceilTo } from '@/core/size';
import { flagsFor, typeCodeFor } from '@/core/table';
import { wipeWishes } from './resolve-wipes';
import { invalid, type Target, type TargetEntry } from './target';
import { assertEntries } from './target-checks';
import { TargetLookup, type CopyEntry, type KeepEntry, type NamedSources } from './target-lookup';
import { TargetPlaces } from './target-places';

/** A layout from a target, with what was rounded told. */
export interface ResolvedTarget {
  readonly layout: Layout;
  readonly notes: readonly string[];
  /** Volumes that are copied by making them anew: everything on them is taken to the new ones. */
  readonly anew: readonly Pick<TransferWish, 'from' | 'fromName' | 'to'>[];
  /** Volumes by what the target calls them. */
  readonly names: ReadonlyMap<string, VolumeId>;
}

/**
 * The planned layout a target asks for on a surveyed disk.
 * @param others volumes of other disks that it may copy
 * @throws CoreError `target.invalid`, or `size.*` for a size that can't be read
 */
export function resolveTarget(survey: Survey, target: Target, others: NamedSources = new Map()): ResolvedTarget {
  return new Resolution(survey, target, others).resolve();
}

class Resolution {
  readonly #lookup: TargetLookup;
  readonly #places: TargetPlaces;
  readonly #base: Layout;
  readonly #notes: string[] = [];
  readonly #anew: ResolvedTarget['anew'][number][] = [];
  readonly #volumes: LaidVolume[] = [];
  readonly #entries: readonly TargetEntry[];

  constructor(
    private readonly survey: Survey,
    private readonly target: Target,
    others: NamedSources,
  ) {
    this.#lookup = new TargetLookup(survey, others);
    this.#entries = this.#lookup.inDiskOrder(target.volumes);
    this.#base = this.#tabled();
    this.#places = new TargetPlaces(this.#lookup, this.#base, this.#entries, this.#notes);
  }

  resolve(): ResolvedTarget {
    assertEntries(this.target, this.#lookup);
    const layout = this.#base;
    let at = firstUsable(layout);
    for (const [index, entry] of this.#entries.entries()) at = this.#place(entry, index, at);
    const settled = settle({ ...layout, volumes: this.#volumes }, boundsOf(this.survey));
    if (!settled.ok) throw new CoreError('plan.refused', { why: settled.code, reason: settled.reason });
    const wipes = wipeWishes(this.target, settled.layout);
    const wished = { ...(wipes.length > 0 ? { wipes } : {}), ...(this.target.mend ? { mend: true } : {}) };
    return {
      layout: { ...settled.layout, ...wished },
      notes: [...this.#notes, ...settled.notes],
      names: this.#names(),
      anew: this.#anew,
    };
  }

  #names(): Map<string, VolumeId> {
    const out = new Map<string, VolumeId>();
    for (const [index, entry] of this.#entries.entries()) {
      if (!('as' in entry) || entry.as === undefined) continue;
      if (out.has(entry.as)) throw invalid(`two volumes are called ${entry.as}`);
      out.set(entry.as, this.#lookup.idOf(entry, index));
    }
    return out;
  }

  /** The disk with the kind of table that is wanted: converted while volumes are kept, else made anew. */
  #tabled(): Layout {
    const { mendTable, volumes, wipe } = this.target;
    const wiped = wipe.some((w) => w.what === 'disk');
    if (wiped && volumes.some((v) => 'keep' in v || 'find' in v))
      throw invalid('a whole disk is wiped only where nothing on it is kept');
    // Written over whole, a disk has a table only where one is asked for, or volumes are.
    if (wiped && this.target.table === undefined && volumes.length === 0) return blankLayout(this.#lookup.now);
    const { table: kind = this.#lookup.now.table } = this.target;
    if (wiped && kind !== 'none') return { ...blankLayout(this.#lookup.now), table: kind, mendTable: true };
    if (kind === 'none' && volumes.some((v) => 'find' in v))
      throw invalid('the disk has no table: say which it gets, "table": "mbr" or "gpt"');
    if (kind === this.#lookup.now.table) return mendTable ? { ...this.#lookup.now, mendTable } : this.#lookup.now;
    if (kind === 'none') throw invalid('a table can’t be taken away');
    const edited = volumes.some((v) => 'keep' in v)
      ? convertTable(this.#lookup.now, boundsOf(this.survey), kind)
      : newTable(this.#lookup.now, kind, true);
    if (!edited.ok) throw new CoreError('plan.refused', { why: edited.code, reason: edited.reason });
    this.#notes.push(...edited.notes);
    return edited.layout;
  }

  #place(entry: TargetEntry, index: number, at: number): number {
    if ('gap' in entry) return at + this.#places.size(entry, index, at);
    if ('keep' in entry) return this.#placeKept(entry, index, at);
    if ('copy' in entry) return this.#placeCopy(entry, index, at);
    if ('find' in entry) return this.#placeFound(entry, at);
    const here = this.#lookup.now.volumes.find(
      (v) => entry.start !== undefined && this.#places.bytesOf(entry.start) === v.start,
    );
    const start =
      entry.start === undefined
        ? ceilTo(at, ALIGNMENT)
        : this.#places.startAt(entry.start, at, 'a volume that is made', here?.start);
    const length = this.#places.size(entry, index, start);
    const facts = findKind(entry.create);
    if (!facts) throw invalid(`no file system is called ${entry.create}`);
    const fault = chosenFault(facts.choices ?? [], entry.options ?? {});
    if (fault) throw invalid(`${facts.title}: ${fault}`);
    this.#volumes.push({
      id: this.#lookup.idOf(entry, index),
      origin: { kind: 'new' },
      start,
      length,
      fileSystem: entry.create,
      label: facts.normaliseLabel(entry.label),
      role: entry.role,
      active: entry.active,
      type: typeCodeFor(entry.role, facts.mbrType(length)),
      logical: false,
      flags: entry.flags ?? flagsFor(entry.role),
      ...(entry.placement ? { placement: entry.placement } : {}),
      format: entry.format,
      guarded: false,
      ...(entry.letter ? { letter: entry.letter } : {}),
      ...(entry.clusterSize ? { clusterSize: entry.clusterSize } : {}),
      ...(entry.options ? { chosen: entry.options } : {}),
    });
    return start + length;
  }

  #placeKept(entry: KeepEntry, index: number, at: number): number {
    const now = this.#lookup.kept(entry.keep, this.#base);
    const start = this.#places.startOf(entry, now, index, at);
    const length = entry.size === undefined ? now.length : this.#places.size(entry, index, start);
    const label =
      entry.label === undefined ? now.label : (findKind(now.fileSystem)?.normaliseLabel(entry.label) ?? now.label);
    this.#volumes.push({
      ...now,
      start,
      length,
      label,
      role: entry.role ?? now.role,
      active: this.#base.table === 'gpt' ? false : (entry.active ?? now.active),
      flags: entry.flags ?? now.flags,
      ...(entry.letter ? { letter: entry.letter } : {}),
    });
    return start + length;
  }

  /** A volume that no entry names stays where it was found. */
  #placeFound({ find, label, letter, role, active }: Extract<TargetEntry, { find: number }>, at: number): number {
    const now = laidFrom(this.#lookup.lost(find));
    if (now.start < at) throw invalid(`volume ${find} of what was found lies before what stands before it ends`);
    const named = label === undefined ? now.label : (findKind(now.fileSystem)?.normaliseLabel(label) ?? now.label);
    this.#volumes.push({
      ...now,
      label: named,
      role: role ?? now.role,
      active: this.#base.table === 'mbr' && (active ?? false),
      ...(letter ? { letter } : {}),
    });
    return endOf(now);
  }

  #placeCopy(entry: CopyEntry, index: number, at: number): number {
    const source = this.#lookup.source(entry);
    const { volume, origin } = source;
    const start =
      entry.start === undefined
        ? ceilTo(at, ALIGNMENT)
        : this.#places.startAt(entry.start, at, `the copy of volume ${entry.copy}`);
    const length = entry.size === undefined ? origin.length : this.#places.size(entry, index, start);
    const label = entry.label === undefined ? undefined : findKind(volume.fileSystem)?.normaliseLabel(entry.label);
    if (source.sectorSize !== this.survey.sectorSize && findKind(volume.fileSystem)) {
      this.#makeAnew(entry, index, source, { start, length: ceilTo(length, this.survey.sectorSize) });
      return start + length;
    }
    const copy = laidCopy(
      source,
      this.#lookup.idOf(entry, index),
      { start, length },
      {
        ...(label === undefined ? {} : { label }),
        ...(entry.letter ? { letter: entry.letter } : {}),
        identity: entry.identity === 'keep' ? 'kept' : 'new',
      },
    );
    this.#volumes.push({
      ...copy,
      role: entry.role ?? copy.role,
      active: this.#base.table === 'mbr' ? (entry.active ?? (copy.active && !this.#hasActive())) : false,
      flags: entry.flags ?? copy.flags,
    });
    return start + length;
  }

  /** What is written for sectors of another size is made anew, and every file is carried. */
  #makeAnew(
    entry: CopyEntry,
    index: number,
    { volume, origin, sectorSize }: CopySource,
    place: { start: number; length: number },
  ): void {
    const facts = findKind(volume.fileSystem)!;
    const { clusterSize = 0 } = volume;
    const same = facts.clusterSizes(place.length, this.survey.sectorSize).includes(clusterSize);
    const id = this.#lookup.idOf(entry, index);
    const role = entry.role ?? volume.role;
    this.#volumes.push({
      id,
      origin: { kind: 'new' },
      ...place,
      fileSystem: volume.fileSystem,
      label: facts.normaliseLabel(entry.label ?? volume.label),
      role,
      active: this.#base.table === 'mbr' && (entry.active ?? false),
      type: typeCodeFor(role, facts.mbrType(place.length)),
      logical: false,
      flags: entry.flags ?? flagsFor(role),
      format: 'quick',
      guarded: false,
      ...(entry.letter ? { letter: entry.letter } : {}),
      ...(same ? { clusterSize } : {}),
    });
    this.#anew.push({ from: origin.of, fromName: `${origin.name} of ${origin.diskName}`, to: id });
    this.#notes.push(
      `${origin.name} of ${origin.diskName} is written for sectors of ${sectorSize} bytes: it is made anew for ${this.survey.sectorSize}, and every file is carried.`,
    );
  }

  /** Whether some other volume is the one that the machine starts from. */
  #hasActive(): boolean {
    return this.target.volumes.some((e) => {
      if ('keep' in e) return e.active ?? this.#lookup.kept(e.keep).active;
      return 'create' in e && e.active;
    });
  }
}
