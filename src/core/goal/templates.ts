/** Goals that fill a plan from facts: which sizes they propose, and why. */
import type { Survey } from '@/core/inspect';
import {
  ALIGNMENT,
  boundOf,
  endOf,
  gapsOf,
  lastUsable,
  nameOf,
  removeVolume,
  resizeEnd,
  splitVolume,
  volumeOf,
  type Bounds,
  type Edited,
  type LaidVolume,
  type Layout,
  type NewVolume,
} from '@/core/layout';
import { lossWords } from '@/core/plan';
import { ceilTo, floorTo, formatSize, GIB, MIB } from '@/core/size';
import { GOAL_WORDS, type GoalKind, type GoalTuning, type Proposal } from './goals';
import { leastHeadroom, usedOf } from './headroom';
import { newVolumeSpec } from './proposals';
import { adviseFileSystem, PURPOSE_WORDS, type Purpose } from './purposes';

const SECOND_SYSTEM = 64 * GIB;
const MOST_SWAP = 8 * GIB;
const DEFAULT_PURPOSES: readonly Purpose[] = ['any-computer', 'television', 'camera'];

/** Fills a plan. `layout` is the one to begin from, the disk as it is now. */
export function proposeGoal(
  kind: GoalKind,
  survey: Survey,
  layout: Layout,
  bounds: Bounds,
  tuning: GoalTuning = {},
): Proposal {
  return new GoalProposal(survey, layout, bounds, tuning).propose(kind);
}

type Part = Omit<NewVolume, 'size'> | NewVolume;

class GoalProposal {
  constructor(
    private readonly survey: Survey,
    private readonly layout: Layout,
    private readonly bounds: Bounds,
    private readonly tuning: GoalTuning,
  ) {}

  propose(kind: GoalKind): Proposal {
    if (this.layout.table === 'none')
      return { ok: false, reason: 'The disk has no table yet, so there is nothing to divide. Give it one first.' };
    const first = this.#first();
    if (!first)
      return { ok: false, reason: 'There is no volume here that could be divided: all are guarded or not known.' };
    switch (kind) {
      case 'system-data':
        return this.#systemData(first);
      case 'system-second-data':
        return this.#secondSystem(first, false);
      case 'system-root-swap-data':
        return this.#secondSystem(first, true);
      case 'equal':
        return this.#equal(first);
      case 'purposes':
        return this.#purposes(first);
      case 'one':
        return this.#one(first);
    }
  }

  /** The volume to divide: the system's, else the one that holds most of those that may be changed. */
  #first(): LaidVolume | undefined {
    const open = this.layout.volumes.filter(
      (v) => !v.guarded && (v.origin.kind === 'new' || boundOf(v, this.bounds) !== undefined),
    );
    const system = open.filter((v) => v.role === 'system');
    return [...(system.length > 0 ? system : open)].sort((a, b) => usedOf(this.survey, b) - usedOf(this.survey, a))[0];
  }

  #floor(volume: LaidVolume): number {
    return volume.origin.kind === 'new' ? ALIGNMENT : (boundOf(volume, this.bounds)?.floor ?? Infinity);
  }

  /** The volume and the unallocated space behind it. */
  #whole(volume: LaidVolume): number {
    const behind = gapsOf(this.layout).find((g) => g.start - endOf(volume) < ALIGNMENT && g.start >= endOf(volume));
    return (behind?.end ?? endOf(volume)) - volume.start;
  }

  #unit(bytes: number): number {
    return bytes > 16 * GIB ? GIB : bytes > GIB ? 64 * MIB : MIB;
  }

  /** What a volume should keep: what is in use, half as much again, and the headroom that is advised. */
  #keepOf(volume: LaidVolume, most: number): { bytes: number; why: string } {
    const used = usedOf(this.survey, volume);
    const unit = this.#unit(volume.length);
    const system = volume.role === 'system';
    const spare = Math.max(used / 2, system ? 24 * GIB : unit);
    const wanted = ceilTo(used + spare, unit);
    const bytes = Math.max(ceilTo(this.#floor(volume), ALIGNMENT), Math.min(wanted, most));
    const free = bytes - used;
    const short =
      free < leastHeadroom({ role: volume.role, length: bytes }) ? ' It is little: the disk has no more to give.' : '';
    return {
      bytes,
      why: `${nameOf(volume)} keeps ${formatSize(bytes)}: ${formatSize(used)} is in use, and ${formatSize(free)} stay free for what is to come.${short}`,
    };
  }

  #taken(volume: LaidVolume, most: number): { bytes: number; why: string } {
    const { keep } = this.tuning;
    if (keep === undefined) return this.#keepOf(volume, most);
    const free = keep - usedOf(this.survey, volume);
    return {
      bytes: keep,
      why: `${nameOf(volume)} keeps ${formatSize(keep)}, as chosen: ${formatSize(Math.max(0, free))} stay free.`,
    };
  }

  #split(
    volume: LaidVolume,
    keep: number,
    parts: readonly Part[],
    name: string,
    why: readonly string[],
    tuning: GoalTuning,
  ): Proposal {
    const edited = splitVolume(this.layout, this.bounds, volume.id, { keep, parts: parts as readonly NewVolume[] });
    return proposalOf(edited, name, why, tuning);
  }

  #part(size: number, more: Partial<NewVolume>): Part {
    const like = more.fileSystem;
    return { ...newVolumeSpec(size, this.layout.sectorSize, like), ...more };
  }

  #systemData(first: LaidVolume): Proposal {
    const whole = this.#whole(first);
    const keep = this.#taken(first, floorTo(whole * 0.8, this.#unit(whole)));
    const rest = whole - keep.bytes;
    const why = [keep.why, `${formatSize(rest)} become a data volume: it survives when the system is set up anew.`];
    const part = this.#part(rest, { fileSystem: first.fileSystem, label: labelFor(first.fileSystem, 'Data') });
    return this.#split(first, keep.bytes, [part], GOAL_WORDS['system-data'].title, why, { keep: keep.bytes });
  }

  #secondSystem(first: LaidVolume, other: boolean): Proposal {
    const whole = this.#whole(first);
    const unit = this.#unit(whole);
    const keep = this.#taken(first, floorTo(whole * 0.6, unit));
    const left = whole - keep.bytes;
    const second = this.tuning.second ?? Math.max(unit, Math.min(SECOND_SYSTEM, floorTo(left / 2, unit)));
    const data = left - second;
    const swap = other ? floorTo(Math.min(MOST_SWAP, second / 8), MIB) : 0;
    const suits = adviseFileSystem('another-system', { size: data, sectorSize: this.layout.sectorSize })[0];
    const why = [
      keep.why,
      `${formatSize(second)} for the second system: most ask for 20 to 40 GiB, and programs come on top.`,
      ...(other ? [`${formatSize(swap)} of that are swap, the rest is its root in ext4.`] : []),
      `${formatSize(data)} for data in ${suits?.title ?? 'a file system'}: ${suits?.why ?? ''}, so both can use it.`,
    ];
    const root = other ? 'ext4' : first.fileSystem;
    const parts = [
      {
        ...this.#part(second - swap, {
          fileSystem: root,
          label: other ? 'root' : labelFor(root, 'System 2'),
          role: 'system',
        }),
        size: second - swap,
      },
      ...(other ? [{ ...this.#part(swap, { fileSystem: 'swap', label: 'swap', role: 'swap' }), size: swap }] : []),
      this.#part(data, { ...(suits ? { fileSystem: suits.kind } : {}), label: labelFor(suits?.kind ?? '', 'Data') }),
    ];
    const goal = other ? 'system-root-swap-data' : 'system-second-data';
    return this.#split(first, keep.bytes, parts, GOAL_WORDS[goal].title, why, {
      keep: keep.bytes,
      second,
    });
  }

  #equal(first: LaidVolume): Proposal {
    const count = this.tuning.count ?? 2;
    if (!Number.isInteger(count) || count < 2 || count > 16)
      return { ok: false, reason: 'Two to sixteen shares can be made.' };
    const whole = this.#whole(first);
    const share = floorTo(whole / count, ALIGNMENT);
    const floor = this.#floor(first);
    const keep = Math.max(share, ceilTo(floor, ALIGNMENT));
    const rest = floorTo((whole - keep) / (count - 1), ALIGNMENT);
    const why =
      keep > share
        ? [
            `${nameOf(first)} can’t be smaller than ${formatSize(floor)}, so the others share what is left: ${formatSize(rest)} each.`,
          ]
        : [`${count} volumes of ${formatSize(share)}; ${nameOf(first)} keeps what is on it.`];
    const parts = Array.from({ length: count - 1 }, (_, i) =>
      this.#part(rest, { fileSystem: first.fileSystem, label: labelFor(first.fileSystem, `Part ${i + 2}`) }),
    );
    return this.#split(first, keep, parts, `${count} equal shares`, why, { count });
  }

  #purposes(first: LaidVolume): Proposal {
    const purposes = this.tuning.purposes ?? DEFAULT_PURPOSES;
    if (purposes.length === 0) return { ok: false, reason: 'Choose at least one purpose.' };
    const whole = this.#whole(first);
    const keep = this.#taken(first, floorTo(whole / 2, this.#unit(whole)));
    const share = floorTo((whole - keep.bytes) / purposes.length, ALIGNMENT);
    const why = [keep.why];
    const parts = purposes.map((purpose) => {
      const suits = adviseFileSystem(purpose, { size: share, sectorSize: this.layout.sectorSize })[0];
      const words = PURPOSE_WORDS[purpose];
      why.push(
        `For ${words}, ${formatSize(share)} of ${suits?.title ?? 'nothing that suits'}: ${suits?.why ?? 'the size does not suit any file system it reads'}.`,
      );
      return this.#part(share, {
        ...(suits ? { fileSystem: suits.kind } : {}),
        label: labelFor(suits?.kind ?? '', LABELS[purpose]),
      });
    });
    return this.#split(first, keep.bytes, parts, GOAL_WORDS.purposes.title, why, { keep: keep.bytes, purposes });
  }

  /** Volumes that hold files are never taken along: what would be lost is said instead. */
  #one(first: LaidVolume): Proposal {
    const others = this.layout.volumes.filter((v) => v.id !== first.id && !v.guarded);
    if (others.length === 0 && this.#whole(first) - first.length < ALIGNMENT)
      return {
        ok: false,
        reason: `${nameOf(first)} is the only volume that may be changed, and there is no room beside it.`,
      };
    for (const volume of others) {
      const now = this.survey.volumes.find((v) => volume.origin.kind === 'kept' && v.number === volume.origin.number);
      if (!now || volume.format || (now.info && now.files === 0)) continue;
      const lost = lossWords({ files: now.files, bytes: now.info?.used ?? now.length });
      return {
        ok: false,
        reason: `${nameOf(volume)} holds ${lost}, which would be lost. Carry its files to ${nameOf(first)} first, or remove it yourself.`,
      };
    }
    let layout = this.layout;
    for (const volume of others) {
      const removed = removeVolume(layout, volume.id);
      if (!removed.ok) return removed;
      layout = removed.layout;
    }
    const now = volumeOf(layout, first.id);
    const behind = layout.volumes.find((v) => v.start > now.start)?.start ?? lastUsable(layout);
    const grown = resizeEnd(layout, this.bounds, first.id, floorTo(behind - now.start, layout.sectorSize));
    const edited = !grown.ok && grown.nearest ? resizeEnd(layout, this.bounds, first.id, grown.nearest) : grown;
    const gone = others.length > 0 ? `${others.map(nameOf).join(', ')} hold no files and go; ` : '';
    return proposalOf(
      edited,
      GOAL_WORDS.one.title,
      [`${gone}${nameOf(first)} takes all the room up to what is guarded.`],
      {},
    );
  }
}

const LABELS: Readonly<Record<Purpose, string>> = {
  'this-computer': 'Work',
  'another-system': 'Exchange',
  'any-computer': 'Exchange',
  camera: 'Camera',
  console: 'Games',
  television: 'Films',
  board: 'Board',
};

/** A label as the kind writes it. */
function labelFor(kind: string, label: string): string {
  return kind.startsWith('fat') ? label.toUpperCase() : label;
}

function proposalOf(edited: Edited, name: string, why: readonly string[], tuning: GoalTuning): Proposal {
  if (!edited.ok) return { ok: false, reason: edited.reason };
  return { ok: true, layout: edited.layout, name, why, notes: edited.notes, tuning };
}
