/**
 * Where the sections of a column go: heights by size, tiny sections no lower than a readable height, the rest sharing
 * what is left in proportion. Pure numbers, in pixels and bytes.
 */
import { endOf, gapsOf, type LaidVolume, type Layout } from '@/core/layout';

/** A section of a column: a volume, or unallocated space. */
export interface Section {
  readonly start: number;
  readonly end: number;
  readonly y: number;
  readonly height: number;
  readonly volume: LaidVolume | undefined;
}

export interface ColumnBox {
  readonly top: number;
  readonly height: number;
  /** Pixels between sections. */
  readonly gap: number;
  /** The least height of a section. */
  readonly least: number;
}

export interface Column {
  readonly sections: readonly Section[];
  /** Bytes a pixel stands for where sections are in proportion. */
  readonly bytesPerPixel: number;
}

/** Lays out a column. Sections are in disk order and fill the box. */
export function layoutColumn(layout: Layout, box: ColumnBox): Column {
  const parts = partsOf(layout);
  const room = Math.max(1, box.height - box.gap * (parts.length - 1));
  const least = Math.min(box.least, room / Math.max(1, parts.length));
  const { heights, bytesPerPixel } = shareOut(
    parts.map((p) => p.end - p.start),
    room,
    least,
  );
  let y = box.top;
  const sections = parts.map((part, i): Section => {
    const section = { ...part, y, height: heights[i]! };
    y += heights[i]! + box.gap;
    return section;
  });
  return { sections, bytesPerPixel };
}

function partsOf(layout: Layout): Pick<Section, 'start' | 'end' | 'volume'>[] {
  const volumes = layout.volumes.map((volume) => ({ start: volume.start, end: endOf(volume), volume }));
  const gaps = gapsOf(layout).map((gap) => ({ ...gap, volume: undefined }));
  return [...volumes, ...gaps].sort((a, b) => a.start - b.start);
}

/** Gives each at least `least`; those that want more share the rest in proportion. */
function shareOut(sizes: readonly number[], room: number, least: number): { heights: number[]; bytesPerPixel: number } {
  const raised = new Set<number>();
  for (;;) {
    const left = room - raised.size * least;
    const bytes = sizes.reduce((sum, size, i) => (raised.has(i) ? sum : sum + size), 0);
    const bytesPerPixel = left > 0 && bytes > 0 ? bytes / left : 1;
    const low = sizes.flatMap((size, i) => (!raised.has(i) && size / bytesPerPixel < least ? [i] : []));
    if (low.length === 0 || raised.size + low.length === sizes.length) {
      const heights = sizes.map((size, i) => (raised.has(i) ? least : Math.max(least, size / bytesPerPixel)));
      return { heights, bytesPerPixel };
    }
    for (const i of low) raised.add(i);
  }
}

/** The y of a byte offset within a section. */
export function yInSection(section: Section, offset: number): number {
  const share = (offset - section.start) / Math.max(1, section.end - section.start);
  return section.y + section.height * Math.min(1, Math.max(0, share));
}

/** A step that reads well for a drag at this scale: about two pixels, a power of two of MiB. */
export function snapStep(bytesPerPixel: number): number {
  const mib = 1024 * 1024;
  return mib * 2 ** Math.max(0, Math.round(Math.log2((bytesPerPixel * 2) / mib)));
}
