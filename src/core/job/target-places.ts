/** Where the volumes of a target begin, and how long they are. */
import { boundsOf } from '@/core/inspect';
import { ALIGNMENT, boundOf, lastUsable, type LaidVolume, type Layout } from '@/core/layout';
import { ceilTo, floorTo, formatSize, isExact, parseSize, resolveSize, roundTo } from '@/core/size';
import { invalid, type TargetEntry } from './target';
import type { KeepEntry, TargetLookup } from './target-lookup';

export class TargetPlaces {
  /** @param notes where is told, in words, what was rounded */
  constructor(
    private readonly lookup: TargetLookup,
    private readonly base: Layout,
    private readonly entries: readonly TargetEntry[],
    private readonly notes: string[],
  ) {}

  bytesOf(text: string): number {
    return resolveSize(parseSize(text), { whole: this.lookup.survey.size }).bytes;
  }

  /** A start that is asked for, in whole alignment units. @throws CoreError `target.invalid` */
  startAt(text: string, at: number, name: string, now?: number): number {
    const bytes = this.bytesOf(text);
    const start = bytes === now ? bytes : roundTo(bytes, ALIGNMENT).bytes;
    if (start < at) throw invalid(`${name} would begin before what stands before it ends`);
    return start;
  }

  /**
   * Where a kept volume begins: where it does now, as long as the order is the same and nothing reaches there; else right
   * behind what stands before it. A gap before it, or a start of its own, says it exactly.
   */
  startOf(entry: KeepEntry, now: LaidVolume, index: number, at: number): number {
    if (entry.start !== undefined) return this.startAt(entry.start, at, `volume ${entry.keep}`, now.start);
    const behind = ceilTo(at + (now.logical ? this.lookup.survey.sectorSize : 0), ALIGNMENT);
    const before = this.entries[index - 1];
    const exact = before !== undefined && 'gap' in before && now.start - at >= ALIGNMENT;
    return this.#stays(now, index) && at <= now.start && !exact ? now.start : behind;
  }

  /** Whether no volume that stood before this one comes behind it. */
  #stays(now: LaidVolume, index: number): boolean {
    if (this.base.table === 'none') return true;
    return this.entries
      .slice(index + 1)
      .every((later) => !('keep' in later) || this.lookup.kept(later.keep, this.base).start > now.start);
  }

  /** Bytes of an entry that begins at `start`: whole sectors when bytes are asked for, else whole MiB, rounding told. */
  size(entry: TargetEntry, index: number, start: number): number {
    const { survey } = this.lookup;
    const text = ('gap' in entry ? entry.gap : 'find' in entry ? undefined : entry.size)!;
    const wish = parseSize(text);
    const was = this.lookup.before(entry);
    const { bytes } = resolveSize(wish, {
      whole: survey.size,
      rest: wish.kind === 'rest' ? this.#rest(index, start) : 0,
      current: was?.length ?? 0,
      floor: (was && boundOf(was, boundsOf(survey))?.floor) ?? 0,
    });
    const rounded = isExact(wish) ? { bytes: ceilTo(bytes, survey.sectorSize), by: 0 } : roundTo(bytes, ALIGNMENT);
    if (rounded.by !== 0)
      this.notes.push(
        `${text} is rounded to ${formatSize(rounded.bytes)} (${rounded.by > 0 ? '+' : ''}${rounded.by} bytes) for alignment.`,
      );
    return rounded.bytes;
  }

  /** What is left for an entry up to the next kept volume, or up to the end of the disk. */
  #rest(index: number, start: number): number {
    const { sectorSize } = this.lookup.survey;
    let needed = 0;
    for (const [offset, entry] of this.entries.slice(index + 1).entries()) {
      const at = index + 1 + offset;
      const stays = this.#stands(entry, at, start + needed);
      if (stays !== undefined) return floorTo(stays - needed - start, sectorSize);
      const own = this.#unchanged(entry)?.length;
      needed += ceilTo(own ?? this.size(entry, at, start), ALIGNMENT);
    }
    const end = lastUsable(this.base);
    const room = (this.base.table === 'none' ? end : floorTo(end, ALIGNMENT)) - needed - start;
    if (room <= 0) throw invalid('nothing is left for “rest”');
    return floorTo(room, sectorSize);
  }

  /** Where an entry's volume begins, if it stands where it is whatever comes before it. */
  #stands(entry: TargetEntry, index: number, past: number): number | undefined {
    if ('find' in entry) return this.lookup.lost(entry.find).start;
    if (!('keep' in entry)) return undefined;
    const now = this.lookup.kept(entry.keep);
    return this.#stays(now, index) && now.start > past ? now.start : undefined;
  }

  /** The volume of an entry that says nothing of its size. */
  #unchanged(entry: TargetEntry): LaidVolume | undefined {
    return ('keep' in entry || 'copy' in entry) && entry.size === undefined ? this.lookup.before(entry) : undefined;
  }
}
