/** What the entries of a target name: volumes of the disk, of what was found on it, and of other disks. */
import { copySourcesOf, laidFrom, layoutOf, type Survey, type SurveyedVolume } from '@/core/inspect';
import { asVolumeId, type CopySource, type LaidVolume, type Layout, type VolumeId } from '@/core/layout';
import { HERE } from '@/core/place';
import { invalid, type TargetEntry } from './target';

/** What can be copied from other disks, by the names that a target has for them. */
export type NamedSources = ReadonlyMap<string, readonly CopySource[]>;

export type CopyEntry = Extract<TargetEntry, { copy: number }>;
export type KeepEntry = Extract<TargetEntry, { keep: number }>;

export class TargetLookup {
  readonly now: Layout;
  readonly #own: readonly CopySource[];

  constructor(
    readonly survey: Survey,
    private readonly others: NamedSources,
  ) {
    this.now = layoutOf(survey);
    this.#own = copySourcesOf(survey, HERE, 'this disk');
  }

  /** A volume of the disk by its number, in the layout that is asked; its number is known to be right. */
  kept(number: number, layout: Layout = this.now): LaidVolume {
    return layout.volumes.find((v) => v.id === `kept-${number}`)!;
  }

  /** A volume of those that were found, by its number among them. @throws CoreError `target.invalid` */
  lost(number: number): SurveyedVolume {
    const found = this.survey.lost?.[number - 1];
    if (!found) throw invalid(`there is no volume ${number} among what was found`);
    return found;
  }

  /** The volume that an entry copies. @throws CoreError `target.invalid` */
  source({ copy, from }: CopyEntry): CopySource {
    const sources = from === undefined ? this.#own : this.others.get(from);
    if (!sources) throw invalid(`no disk is called ${from}`);
    const source = sources.find((s) => s.origin.of.number === copy);
    if (!source) throw invalid(`there is no volume ${copy} on ${from ?? 'the disk'}`);
    return source;
  }

  /** The volume that an entry keeps or copies, as it is now. */
  before(entry: TargetEntry): LaidVolume | undefined {
    if ('keep' in entry) return this.kept(entry.keep);
    if (!('copy' in entry)) return undefined;
    const { volume, origin } = this.source(entry);
    return { ...volume, origin };
  }

  /** What the volume of an entry is called in a plan; `index` is the entry's place among all. */
  idOf(entry: TargetEntry, index: number): VolumeId {
    if ('keep' in entry) return asVolumeId(`kept-${entry.keep}`);
    return 'find' in entry ? laidFrom(this.lost(entry.find)).id : asVolumeId(`new-${index + 1}`);
  }

  /** Where volumes only stay, or are put back, the order follows from their places. */
  inDiskOrder(entries: readonly TargetEntry[]): readonly TargetEntry[] {
    const starts = entries.map((entry) => {
      if ('find' in entry) return this.survey.lost?.[entry.find - 1]?.start;
      if (!('keep' in entry) || entry.size !== undefined || entry.start !== undefined) return undefined;
      return this.survey.volumes.find((v) => v.number === entry.keep)?.start;
    });
    if (!entries.some((e) => 'find' in e) || starts.includes(undefined)) return entries;
    return entries
      .map((entry, i) => ({ entry, start: starts[i]! }))
      .sort((a, b) => a.start - b.start)
      .map(({ entry }) => entry);
  }
}
