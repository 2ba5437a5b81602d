/** The parts of a disk that can be read by themselves. */
import { gapsOf, nameOf, type Layout } from '@/core/layout';

interface Part {
  readonly key: string;
  readonly name: string;
  /** Nothing for the whole disk. */
  readonly stretch?: { readonly start: number; readonly end: number };
}

/** The whole disk, each of its volumes, and each place where none is. */
export function partsOf(layout: Layout, size: (bytes: number) => string): Part[] {
  return [
    { key: 'all', name: 'The whole disk' },
    ...layout.volumes.map((v) => ({
      key: `${v.start}`,
      name: nameOf(v),
      stretch: { start: v.start, end: v.start + v.length },
    })),
    ...gapsOf(layout).map((gap) => ({
      key: `gap ${gap.start}`,
      name: `Unallocated, ${size(gap.end - gap.start)} at ${size(gap.start)}`,
      stretch: gap,
    })),
  ];
}

/** What a stretch is called that is a part, or was one once. */
export const partName = (
  parts: readonly Part[],
  { start, end }: { readonly start: number; readonly end: number },
  size: (bytes: number) => string,
): string =>
  parts.find((p) => p.stretch?.start === start && p.stretch.end === end)?.name ??
  `${size(end - start)} at ${size(start)}`;
