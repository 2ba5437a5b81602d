/** The planned layout that a target asks for on a surveyed disk: places and sizes worked out, rounding told. */
import { CoreError } from '@/core/errors';
import { chosenFault, findKind } from '@/core/fs';
import { boundsOf, copySourcesOf, laidFrom, layoutOf, type Survey, type SurveyedVolume } from '@/core/inspect';
import {
  ALIGNMENT,
  asVolumeId,
  blankLayout,
  boundOf,
  convertTable,
  endOf,
  firstUsable,
  laidCopy,
  lastUsable,
  newTable,
  settle,
  type CopySource,
  type LaidVolume,
  type Layout,
  type TransferWish,
  type VolumeId,
} from '@/core/layout';
import { HERE } from '@/core/place';
import { ceilTo, floorTo, formatSize, parseSize, resolveSize, roundTo, type SizeWish } from '@/core/size';
import { flagsFor, typeCodeFor } from '@/core/table';
import { wipeWishes } from './resolve-wipes';
import { invalid, type Target, type TargetEntry } from './target';

/** What can be copied from other disks, by the names that a target has for them. */
export type NamedSources = ReadonlyMap<string, readonly CopySource[]>;

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
  readonly #now: Layout;
  readonly #base: Layout;
  readonly #own: readonly CopySource[];
  readonly #notes: string[] = [];
  readonly #anew: ResolvedTarget['anew'][number][] = [];
  readonly #volumes: LaidVolume[] = [];
  readonly #entries: readonly TargetEntry[];

  constructor(
    private readonly survey: Survey,
    private readonly target: Target,
    private readonly others: NamedSources,
  ) {
    this.#now = layoutOf(survey);
    this.#entries = inDiskOrder(survey, target.volumes);
    this.#own = copySourcesOf(survey, HERE, 'this disk');
    this.#base = this.#tabled();
  }

  resolve(): ResolvedTarget {
    this.#assertEntries();
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
      out.set(entry.as, this.#idOf(entry, index));
    }
    return out;
  }

  #idOf(entry: TargetEntry, index: number): VolumeId {
    if ('keep' in entry) return asVolumeId(`kept-${entry.keep}`);
    return 'find' in entry ? laidFrom(lostOf(this.survey, entry.find)).id : asVolumeId(`new-${index + 1}`);
  }

  /** The disk with the kind of table that is wanted: converted while volumes are kept, else made anew. */
  #tabled(): Layout {
    const { mendTable, volumes, wipe } = this.target;
    const wiped = wipe.some((w) => w.what === 'disk');
    if (wiped && volumes.some((v) => 'keep' in v || 'find' in v))
      throw invalid('a whole disk is wiped only where nothing on it is kept');
    // Written over whole, a disk has a table only where one is asked for, or volumes are.
    if (wiped && this.target.table === undefined && volumes.length === 0) return blankLayout(this.#now);
    const { table: kind = this.#now.table } = this.target;
    if (wiped && kind !== 'none') return { ...blankLayout(this.#now), table: kind, mendTable: true };
    if (kind === 'none' && volumes.some((v) => 'find' in v))
      throw invalid('the disk has no table: say which it gets, "table": "mbr" or "gpt"');
    if (kind === this.#now.table) return mendTable ? { ...this.#now, mendTable } : this.#now;
    if (kind === 'none') throw invalid('a table can’t be taken away');
    const edited = volumes.some((v) => 'keep' in v)
      ? convertTable(this.#now, boundsOf(this.survey), kind)
      : newTable(this.#now, kind, true);
    if (!edited.ok) throw new CoreError('plan.refused', { why: edited.code, reason: edited.reason });
    this.#notes.push(...edited.notes);
    return edited.layout;
  }

  #assertEntries(): void {
    const kept = this.target.volumes.flatMap((e) => ('keep' in e ? [e.keep] : []));
    const numbers = new Set(this.survey.volumes.map((v) => v.number));
    const unknown = [...kept, ...this.target.remove].find((n) => !numbers.has(n));
    if (unknown !== undefined) throw invalid(`there is no volume ${unknown} on the disk`);
    if (new Set(kept).size !== kept.length) throw invalid('a volume is kept twice');
    for (const number of numbers) {
      const removed = this.target.remove.includes(number);
      if (kept.includes(number) === removed)
        throw invalid(
          removed ? `volume ${number} is both kept and removed` : `volume ${number} is neither kept nor removed`,
        );
    }
    for (const entry of this.target.volumes) if ('copy' in entry) this.#sourceOf(entry);
    const letters = this.target.volumes.flatMap((e) => ('letter' in e && e.letter ? [e.letter] : []));
    const found = this.target.volumes.flatMap((e) => ('find' in e ? [e.find] : []));
    if (new Set(found).size !== found.length) throw invalid('a volume that was found is put back twice');
    for (const number of found) lostOf(this.survey, number);
    const twice = letters.find((letter, i) => letters.indexOf(letter) !== i);
    if (twice) throw invalid(`two volumes have the letter ${twice}`);
    const rests = this.target.volumes.filter((e) => this.#wish(e)?.kind === 'rest');
    if (rests.length > 1) throw invalid('“rest” stands more than once');
  }

  #wish(entry: TargetEntry): SizeWish | undefined {
    const text = 'gap' in entry ? entry.gap : 'find' in entry ? undefined : entry.size;
    return text === undefined ? undefined : parseSize(text);
  }

  #place(entry: TargetEntry, index: number, at: number): number {
    if ('gap' in entry) return at + this.#size(entry, index, at);
    if ('keep' in entry) return this.#placeKept(entry, index, at);
    if ('copy' in entry) return this.#placeCopy(entry, index, at);
    if ('find' in entry) return this.#placeFound(entry, at);
    const here = this.#now.volumes.find((v) => entry.start !== undefined && this.#bytesOf(entry.start) === v.start);
    const start =
      entry.start === undefined
        ? ceilTo(at, ALIGNMENT)
        : this.#startAt(entry.start, at, 'a volume that is made', here?.start);
    const length = this.#size(entry, index, start);
    const facts = findKind(entry.create);
    if (!facts) throw invalid(`no file system is called ${entry.create}`);
    const fault = chosenFault(facts.choices ?? [], entry.options ?? {});
    if (fault) throw invalid(`${facts.title}: ${fault}`);
    this.#volumes.push({
      id: asVolumeId(`new-${index + 1}`),
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

  #placeKept(entry: Extract<TargetEntry, { keep: number }>, index: number, at: number): number {
    const now = this.#base.volumes.find((v) => v.id === `kept-${entry.keep}`)!;
    const start = this.#startOf(entry, now, index, at);
    const length = entry.size === undefined ? now.length : this.#size(entry, index, start);
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
    const now = laidFrom(lostOf(this.survey, find));
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

  /** The volume that an entry copies. @throws CoreError `target.invalid` */
  #sourceOf({ copy, from }: Extract<TargetEntry, { copy: number }>): CopySource {
    const sources = from === undefined ? this.#own : this.others.get(from);
    if (!sources) throw invalid(`no disk is called ${from}`);
    const source = sources.find((s) => s.origin.of.number === copy);
    if (!source) throw invalid(`there is no volume ${copy} on ${from ?? 'the disk'}`);
    return source;
  }

  #placeCopy(entry: Extract<TargetEntry, { copy: number }>, index: number, at: number): number {
    const source = this.#sourceOf(entry);
    const { volume, origin } = source;
    const start =
      entry.start === undefined
        ? ceilTo(at, ALIGNMENT)
        : this.#startAt(entry.start, at, `the copy of volume ${entry.copy}`);
    const length = entry.size === undefined ? origin.length : this.#size(entry, index, start);
    const label = entry.label === undefined ? undefined : findKind(volume.fileSystem)?.normaliseLabel(entry.label);
    if (source.sectorSize !== this.survey.sectorSize && findKind(volume.fileSystem)) {
      this.#makeAnew(entry, index, source, { start, length: ceilTo(length, this.survey.sectorSize) });
      return start + length;
    }
    const copy = laidCopy(
      source,
      asVolumeId(`new-${index + 1}`),
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
    entry: Extract<TargetEntry, { copy: number }>,
    index: number,
    { volume, origin, sectorSize }: CopySource,
    place: { start: number; length: number },
  ): void {
    const facts = findKind(volume.fileSystem)!;
    const { clusterSize = 0 } = volume;
    const same = facts.clusterSizes(place.length, this.survey.sectorSize).includes(clusterSize);
    const id = asVolumeId(`new-${index + 1}`);
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
      if ('keep' in e) return e.active ?? this.#now.volumes.find((v) => v.id === `kept-${e.keep}`)!.active;
      return 'create' in e && e.active;
    });
  }

  #bytesOf(text: string): number {
    return resolveSize(parseSize(text), { whole: this.survey.size }).bytes;
  }

  /** A start that is asked for, in whole alignment units. @throws CoreError `target.invalid` */
  #startAt(text: string, at: number, name: string, now?: number): number {
    const bytes = this.#bytesOf(text);
    const start = bytes === now ? bytes : roundTo(bytes, ALIGNMENT).bytes;
    if (start < at) throw invalid(`${name} would begin before what stands before it ends`);
    return start;
  }

  /**
   * Where a kept volume begins: where it does now, as long as the order is the same and nothing reaches there; else right
   * behind what stands before it. A gap before it, or a start of its own, says it exactly.
   */
  #startOf(entry: Extract<TargetEntry, { keep: number }>, now: LaidVolume, index: number, at: number): number {
    if (entry.start !== undefined) return this.#startAt(entry.start, at, `volume ${entry.keep}`, now.start);
    const behind = ceilTo(at + (now.logical ? this.survey.sectorSize : 0), ALIGNMENT);
    const before = this.#entries[index - 1];
    const exact = before !== undefined && 'gap' in before && now.start - at >= ALIGNMENT;
    return this.#stays(now, index) && at <= now.start && !exact ? now.start : behind;
  }

  /** Whether no volume that stood before this one comes behind it. */
  #stays(now: LaidVolume, index: number): boolean {
    if (this.#base.table === 'none') return true;
    return this.#entries.slice(index + 1).every((later) => {
      if (!('keep' in later)) return true;
      return this.#base.volumes.find((v) => v.id === `kept-${later.keep}`)!.start > now.start;
    });
  }

  /** Bytes of an entry that begins at `start`: whole sectors when bytes are asked for, else whole MiB, rounding told. */
  #size(entry: TargetEntry, index: number, start: number): number {
    const text = ('gap' in entry ? entry.gap : 'find' in entry ? undefined : entry.size)!;
    const wish = parseSize(text);
    const was = this.#before(entry);
    const { bytes } = resolveSize(wish, {
      whole: this.survey.size,
      rest: wish.kind === 'rest' ? this.#rest(index, start) : 0,
      current: was?.length ?? 0,
      floor: (was && boundOf(was, boundsOf(this.survey))?.floor) ?? 0,
    });
    const exact =
      wish.kind === 'floor' || wish.kind === 'rest' || (/b(ytes?)?$/i.test(text) && !/[kmgtp]i?b$/i.test(text));
    const rounded = exact ? { bytes: ceilTo(bytes, this.survey.sectorSize), by: 0 } : roundTo(bytes, ALIGNMENT);
    if (rounded.by !== 0)
      this.#notes.push(
        `${text} is rounded to ${formatSize(rounded.bytes)} (${rounded.by > 0 ? '+' : ''}${rounded.by} bytes) for alignment.`,
      );
    return rounded.bytes;
  }

  /** The volume that an entry keeps or copies, as it is now. */
  #before(entry: TargetEntry): LaidVolume | undefined {
    if ('keep' in entry) return this.#now.volumes.find((v) => v.id === `kept-${entry.keep}`);
    if (!('copy' in entry)) return undefined;
    const { volume, origin } = this.#sourceOf(entry);
    return { ...volume, origin };
  }

  /** What is left for an entry up to the next kept volume, or up to the end of the disk. */
  #rest(index: number, start: number): number {
    let needed = 0;
    for (const [offset, entry] of this.#entries.slice(index + 1).entries()) {
      if ('keep' in entry) {
        const now = this.#now.volumes.find((v) => v.id === `kept-${entry.keep}`)!;
        if (!this.#stays(now, index + 1 + offset) || now.start <= start + needed) {
          needed += ceilTo(
            entry.size === undefined ? now.length : this.#size(entry, index + 1 + offset, start),
            ALIGNMENT,
          );
          continue;
        }
        return floorTo(now.start - needed - start, this.survey.sectorSize);
      }
      if ('find' in entry)
        return floorTo(lostOf(this.survey, entry.find).start - needed - start, this.survey.sectorSize);
      const own = 'copy' in entry && entry.size === undefined ? this.#before(entry)!.length : undefined;
      needed += ceilTo(own ?? this.#size(entry, index + 1 + offset, start), ALIGNMENT);
    }
    const end = lastUsable(this.#base);
    const room = (this.#base.table === 'none' ? end : floorTo(end, ALIGNMENT)) - needed - start;
    if (room <= 0) throw invalid('nothing is left for “rest”');
    return floorTo(room, this.survey.sectorSize);
  }
}

/** A volume of those that were found, by its number among them. @throws CoreError `target.invalid` */
function lostOf({ lost = [] }: Survey, number: number): SurveyedVolume {
  const found = lost[number - 1];
  if (!found) throw invalid(`there is no volume ${number} among what was found`);
  return found;
}

/** Where volumes only stay, or are put back, the order follows from their places. */
function inDiskOrder(survey: Survey, entries: readonly TargetEntry[]): readonly TargetEntry[] {
  const starts = entries.map((entry) => {
    if ('find' in entry) return survey.lost?.[entry.find - 1]?.start;
    if (!('keep' in entry) || entry.size !== undefined || entry.start !== undefined) return undefined;
    return survey.volumes.find((v) => v.number === entry.keep)?.start;
  });
  if (!entries.some((e) => 'find' in e) || starts.includes(undefined)) return entries;
  return entries
    .map((entry, i) => ({ entry, start: starts[i]! }))
    .sort((a, b) => a.start - b.start)
    .map(({ entry }) => entry);
}
