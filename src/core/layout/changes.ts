/** What a planned layout changes: the one answer for whoever counts, lists or words it. */
import type { LaidVolume, Layout, VolumeId } from './layout';

/** One thing that becomes different about a volume. */
type VolumeChange =
  | 'made'
  | 'found'
  | 'copied'
  | 'removed'
  | 'formatted'
  | 'shrunk'
  | 'grown'
  | 'moved'
  | 'labelled'
  | 'lettered'
  | 'activated'
  | 'placed'
  | 'marked';

/** A volume as it is and as it is planned, with what becomes different; nothing where it stays as it is. */
export interface ChangedVolume {
  readonly id: VolumeId;
  readonly was: LaidVolume | undefined;
  readonly is: LaidVolume | undefined;
  readonly what: readonly VolumeChange[];
}

/** Everything that a plan changes. Plain data. */
export interface LayoutChanges {
  /** What happens to the table itself; entries that follow their volumes are none of it. */
  readonly table: 'made' | 'converted' | 'mended' | undefined;
  /** Every volume: those planned in their order, then those that go. */
  readonly volumes: readonly ChangedVolume[];
  /** Volumes that change, the table where it does, and what goes from volume to volume. */
  readonly count: number;
}

/** Compares a disk as it is with what is planned. Roles and guards are nothing on the disk. */
export function changesBetween(now: Layout, planned: Layout): LayoutChanges {
  // Only a master boot record has a chain to be in.
  const chained = now.table === 'mbr' && planned.table === 'mbr';
  const planning = planned.volumes.map((is) =>
    changed(
      now.volumes.find((v) => v.id === is.id),
      is,
      chained,
    ),
  );
  const going = now.volumes.filter((was) => !planned.volumes.some((v) => v.id === was.id));
  const volumes = [...planning, ...going.map((was) => changed(was, undefined, chained))];
  const table = tableChange(now, planned);
  const changing = volumes.filter((v) => v.what.length > 0).length;
  const wishes = (planned.transfers?.length ?? 0) + (planned.wipes?.length ?? 0);
  return {
    table,
    volumes,
    count: changing + (table ? 1 : 0) + (planned.mend ? 1 : 0) + wishes,
  };
}

function tableChange(now: Layout, planned: Layout): LayoutChanges['table'] {
  if (now.table !== planned.table) return now.table === 'none' ? 'made' : 'converted';
  return planned.mendTable ? 'mended' : undefined;
}

/** What becomes of a volume that the table does not name now. */
const NEW_WORDS = { copy: 'copied', new: 'made', kept: 'found' } as const;

function changed(was: LaidVolume | undefined, is: LaidVolume | undefined, chained: boolean): ChangedVolume {
  const { id } = (is ?? was)!;
  if (!is) return { id, was, is, what: ['removed'] };
  if (!was) return { id, was, is, what: [NEW_WORDS[is.origin.kind]] };
  const differs: readonly (readonly [VolumeChange, boolean])[] = [
    ['formatted', is.format !== undefined],
    ['shrunk', is.length < was.length],
    ['grown', is.length > was.length],
    ['moved', is.start !== was.start],
    ['labelled', is.label !== was.label],
    ['lettered', is.letter !== was.letter],
    ['activated', is.active !== was.active],
    ['placed', chained && is.logical !== was.logical],
    ['marked', [...is.flags].sort().join() !== [...was.flags].sort().join()],
  ];
  return { id, was, is, what: differs.flatMap(([what, does]) => (does ? [what] : [])) };
}
