/** A target: the planned layout in disk order, as a person or a script writes it. Sizes are in the size grammar. */
import { CoreError } from '@/core/errors';
import { findKind } from '@/core/fs';
import { boundsOf, layoutOf, type Survey } from '@/core/inspect';
import {
  ALIGNMENT,
  asVolumeId,
  convertTable,
  firstUsable,
  lastUsable,
  newTable,
  settle,
  type LaidVolume,
  type Layout,
} from '@/core/layout';
import { flagsFor, typeCodeFor } from '@/core/table';
import { ceilTo, floorTo, formatSize, parseSize, resolveSize, roundTo, type SizeWish } from '@/core/size';
import { z } from 'zod';

const size = z.string().min(1).max(40).describe('In the size grammar: 24 GiB, 61 440 MiB, 50 %, half, rest, floor');
const role = z.enum(['system', 'data', 'firmware', 'recovery', 'foreign', 'swap']);
const letter = z.union([z.string().regex(/^[A-Z]$/), z.literal('')]).describe('A single capital, or empty for none');

/** A power of two from a sector on; which of them suit a file system and a size is the file system's. */
const clusterSize = z
  .int()
  .min(512)
  .max(2 ** 25)
  .refine((n) => Number.isInteger(Math.log2(n)), 'a power of two');
const flags = z.array(z.enum(['required', 'read-only', 'hidden', 'no-letter']));

const keepSchema = z.strictObject({
  keep: z.int().min(1).describe('Number of the volume as inspect lists it'),
  size: size.optional(),
  start: size.optional().describe('Where it begins, from the start of the disk; left out, it stays or follows'),
  label: z.string().optional(),
  letter: letter.optional(),
  role: role.optional(),
  active: z.boolean().optional(),
  flags: flags.optional(),
});

const createSchema = z.strictObject({
  create: z.string().describe('File system: fat12, fat16, fat32'),
  size: size.default('rest'),
  label: z.string().default(''),
  letter: letter.optional(),
  role: role.default('data'),
  clusterSize: clusterSize.optional().describe('Bytes'),
  format: z.enum(['quick', 'full']).default('quick'),
  active: z.boolean().default(false),
  placement: z.enum(['primary', 'logical']).optional().describe('On an MBR; left to the number of entries'),
  flags: flags.optional(),
});

const gapSchema = z.strictObject({ gap: size });

const targetSchema = z.strictObject({
  table: z.enum(['none', 'mbr', 'gpt']).optional().describe('The kind of table; as it is when left out'),
  volumes: z.array(z.union([keepSchema, createSchema, gapSchema])).max(64),
  checkAtNextStart: z.boolean().default(false).describe('Has the owners of changed volumes check them at next start'),
  mendTable: z.boolean().default(false).describe('Writes the table again, whole, though no volume changes'),
  remove: z.array(z.int().min(1)).default([]).describe('Numbers of volumes that may be lost'),
});

/** A target as it may be written. */
export type TargetInput = z.input<typeof targetSchema>;
export type Target = z.output<typeof targetSchema>;
type TargetEntry = Target['volumes'][number];

/** A layout from a target, with what was rounded told. */
export interface ResolvedTarget {
  readonly layout: Layout;
  readonly notes: readonly string[];
}

/** Checks a target. @throws CoreError `target.invalid` */
export function parseTarget(input: unknown): Target {
  const result = targetSchema.safeParse(input);
  if (result.success) return result.data;
  const issue = result.error.issues[0]!;
  throw invalid(`${issue.path.join('.') || 'the whole'}: ${issue.message}`);
}

const invalid = (reason: string): CoreError => new CoreError('target.invalid', { reason });

/**
 * The planned layout a target asks for on a surveyed disk.
 * @throws CoreError `target.invalid`, or `size.*` for a size that can't be read
 */
export function resolveTarget(survey: Survey, target: Target): ResolvedTarget {
  return new Resolution(survey, target).resolve();
}

class Resolution {
  readonly #now: Layout;
  readonly #base: Layout;
  readonly #notes: string[] = [];
  readonly #volumes: LaidVolume[] = [];

  constructor(
    private readonly survey: Survey,
    private readonly target: Target,
  ) {
    this.#now = layoutOf(survey);
    this.#base = this.#tabled();
  }

  resolve(): ResolvedTarget {
    this.#assertEntries();
    const layout = this.#base;
    let at = firstUsable(layout);
    for (const [index, entry] of this.target.volumes.entries()) at = this.#place(entry, index, at);
    const settled = settle({ ...layout, volumes: this.#volumes }, boundsOf(this.survey));
    if (!settled.ok) throw new CoreError('plan.refused', { reason: settled.reason });
    return { layout: settled.layout, notes: [...this.#notes, ...settled.notes] };
  }

  /** The disk with the kind of table that is wanted: converted while volumes are kept, else made anew. */
  #tabled(): Layout {
    const { table: kind = this.#now.table, mendTable, volumes } = this.target;
    if (kind === this.#now.table) return mendTable ? { ...this.#now, mendTable } : this.#now;
    if (kind === 'none') throw invalid('a table can’t be taken away');
    const edited = volumes.some((v) => 'keep' in v)
      ? convertTable(this.#now, boundsOf(this.survey), kind)
      : newTable(this.#now, kind, true);
    if (!edited.ok) throw new CoreError('plan.refused', { reason: edited.reason });
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
    const letters = this.target.volumes.flatMap((e) => ('letter' in e && e.letter ? [e.letter] : []));
    const twice = letters.find((letter, i) => letters.indexOf(letter) !== i);
    if (twice) throw invalid(`two volumes have the letter ${twice}`);
    const rests = this.target.volumes.filter((e) => this.#wish(e)?.kind === 'rest');
    if (rests.length > 1) throw invalid('“rest” stands more than once');
  }

  #wish(entry: TargetEntry): SizeWish | undefined {
    const text = 'gap' in entry ? entry.gap : entry.size;
    return text === undefined ? undefined : parseSize(text);
  }

  #place(entry: TargetEntry, index: number, at: number): number {
    if ('gap' in entry) return at + this.#size(entry, index, at);
    if ('keep' in entry) return this.#placeKept(entry, index, at);
    const start = ceilTo(at, ALIGNMENT);
    const length = this.#size(entry, index, start);
    const facts = findKind(entry.create);
    if (!facts) throw invalid(`no file system is called ${entry.create}`);
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

  /**
   * Where a kept volume begins: where it does now, as long as the order is the same and nothing reaches there; else right
   * behind what stands before it. A gap before it, or a start of its own, says it exactly.
   */
  #startOf(entry: Extract<TargetEntry, { keep: number }>, now: LaidVolume, index: number, at: number): number {
    if (entry.start !== undefined) {
      const { bytes } = resolveSize(parseSize(entry.start), { whole: this.survey.size });
      const start = bytes === now.start ? bytes : roundTo(bytes, ALIGNMENT).bytes;
      if (start < at) throw invalid(`volume ${entry.keep} would begin before what stands before it ends`);
      return start;
    }
    const behind = ceilTo(at + (now.logical ? this.survey.sectorSize : 0), ALIGNMENT);
    const before = this.target.volumes[index - 1];
    const exact = before !== undefined && 'gap' in before && now.start - at >= ALIGNMENT;
    return this.#stays(now, index) && at <= now.start && !exact ? now.start : behind;
  }

  /** Whether no volume that stood before this one comes behind it. */
  #stays(now: LaidVolume, index: number): boolean {
    if (this.#base.table === 'none') return true;
    return this.target.volumes.slice(index + 1).every((later) => {
      if (!('keep' in later)) return true;
      return this.#base.volumes.find((v) => v.id === `kept-${later.keep}`)!.start > now.start;
    });
  }

  /** Bytes of an entry that begins at `start`: whole sectors when bytes are asked for, else whole MiB, rounding told. */
  #size(entry: TargetEntry, index: number, start: number): number {
    const text = ('gap' in entry ? entry.gap : entry.size)!;
    const wish = parseSize(text);
    const kept = 'keep' in entry ? this.#now.volumes.find((v) => v.id === `kept-${entry.keep}`) : undefined;
    const bounds = 'keep' in entry ? boundsOf(this.survey).get(entry.keep) : undefined;
    const { bytes } = resolveSize(wish, {
      whole: this.survey.size,
      rest: wish.kind === 'rest' ? this.#rest(index, start) : 0,
      current: kept?.length ?? 0,
      floor: bounds?.floor ?? 0,
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

  /** What is left for an entry up to the next kept volume, or up to the end of the disk. */
  #rest(index: number, start: number): number {
    let needed = 0;
    for (const [offset, entry] of this.target.volumes.slice(index + 1).entries()) {
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
      needed += ceilTo(this.#size(entry, index + 1 + offset, start), ALIGNMENT);
    }
    const end = lastUsable(this.#base);
    const room = (this.#base.table === 'none' ? end : floorTo(end, ALIGNMENT)) - needed - start;
    if (room <= 0) throw invalid('nothing is left for “rest”');
    return floorTo(room, this.survey.sectorSize);
  }
}
