/** The bands between two columns: for every kept volume where its data goes, dark for what is in use. */
import { HERE } from '@/core/place';
import { area, curveBumpX } from 'd3-shape';
import { yInSection, type Column, type Section } from './geometry';
import type { UsedOf } from './use';

/** One band as two SVG paths. */
export interface Band {
  readonly key: string;
  readonly role: string;
  /** From the whole of the one to the whole of the other. */
  readonly whole: string;
  /** From what is in use to what is in use. */
  readonly used: string;
}

/** Bands for the volumes that both columns have. */
export function bandsBetween(
  now: Column,
  planned: Column,
  usedOf: UsedOf,
  usedThen: UsedOf,
  x0: number,
  x1: number,
): Band[] {
  return planned.sections.flatMap((to): Band[] => {
    if (to.volume?.origin.kind !== 'kept' || to.volume.format) return [];
    const from = now.sections.find((s) => s.volume?.id === to.volume!.id);
    if (!from) return [];
    const usedEnd = (s: Section, used: number | undefined): number =>
      used === undefined ? s.y + s.height : yInSection(s, s.start + used);
    return [
      {
        key: to.volume.id,
        role: to.volume.role,
        whole: ribbon(x0, x1, [from.y, from.y + from.height], [to.y, to.y + to.height]),
        used: ribbon(x0, x1, [from.y, usedEnd(from, usedOf(from.volume!))], [to.y, usedEnd(to, usedThen(to.volume))]),
      },
    ];
  });
}

/** Bands from the volumes of another disk to their copies. */
export function bandsFrom(planned: Column, source: Column, disk: string, x0: number, x1: number): Band[] {
  return planned.sections.flatMap((to): Band[] => {
    const origin = to.volume?.origin;
    if (origin?.kind !== 'copy' || origin.of.disk !== disk) return [];
    const from = source.sections.find((s) => s.volume?.id === `kept-${origin.of.number}`);
    if (!from) return [];
    const usedEnd = (s: Section): number => Math.min(s.y + s.height, yInSection(s, s.start + origin.used));
    return [
      {
        key: to.volume!.id,
        role: to.volume!.role,
        whole: ribbon(x0, x1, [to.y, to.y + to.height], [from.y, from.y + from.height]),
        used: ribbon(x0, x1, [to.y, usedEnd(to)], [from.y, usedEnd(from)]),
      },
    ];
  });
}

/** What goes from volume to volume, as far as it is known. */
export interface Moving {
  readonly from: { readonly disk: string; readonly number: number };
  readonly to: string;
  readonly folder: string;
  readonly bytes: number;
}

/** What goes by the transfers of a plan; a folder that goes in parts is one. */
export function movingIn(
  transfers: readonly (Omit<Moving, 'bytes'> & { readonly facts: { readonly bytes: number } })[],
): Moving[] {
  const out = new Map<string, Moving>();
  for (const { from, to, folder, facts } of transfers) {
    const key = keyOf({ from, to, folder });
    out.set(key, { from, to, folder, bytes: (out.get(key)?.bytes ?? 0) + facts.bytes });
  }
  return [...out.values()];
}

const keyOf = ({ from, to, folder }: Omit<Moving, 'bytes'>): string => `${from.disk} ${from.number} ${folder} ${to}`;

/** A thin band for a folder, with where its tag stands. */
export interface MovingBand {
  readonly key: string;
  readonly role: string;
  readonly path: string;
  readonly y: number;
  readonly name: string;
  readonly bytes: number;
}

const LEAST_BAND = 6;

/** Bands for folders that go to volumes of the planned column from those of a disk, from the end of what is in use there. */
export function movingBands(
  now: Column,
  planned: Column,
  moving: readonly Moving[],
  x0: number,
  x1: number,
  disk: string = HERE,
): MovingBand[] {
  const taken = new Map<string, number>();
  return moving.flatMap((one): MovingBand[] => {
    const from = now.sections.find((s) => s.volume?.id === `kept-${one.from.number}`);
    const to = planned.sections.find((s) => s.volume?.id === one.to);
    if (one.from.disk !== disk || !from || !to) return [];
    // Each end is as high as it is there: disks of different sizes are drawn at different scales.
    const [h0, h1] = [bandHeight(from, one.bytes, now), bandHeight(to, one.bytes, planned)];
    const [left, right] = [taken.get(`l${from.start}`) ?? 0, taken.get(`r${to.start}`) ?? 0];
    taken.set(`l${from.start}`, left + h0);
    taken.set(`r${to.start}`, right + h1);
    const y0 = from.y + Math.min(left, from.height - h0);
    const y1 = to.y + Math.min(right, to.height - h1);
    return [
      {
        key: keyOf(one),
        role: to.volume!.role,
        path: ribbon(x0, x1, [y0, y0 + h0], [y1, y1 + h1]),
        y: (y0 + y1 + (h0 + h1) / 2) / 2,
        name: one.folder.slice(one.folder.lastIndexOf('/') + 1) || 'everything',
        bytes: one.bytes,
      },
    ];
  });
}

const bandHeight = ({ height }: Section, bytes: number, { bytesPerPixel }: Column): number =>
  Math.max(LEAST_BAND, Math.min(height, bytes / bytesPerPixel));

type Span = readonly [top: number, bottom: number];

function ribbon(x0: number, x1: number, left: Span, right: Span): string {
  const draw = area<readonly [number, Span]>()
    .x(([x]) => x)
    .y0(([, span]) => span[0])
    .y1(([, span]) => span[1])
    .curve(curveBumpX);
  return (
    draw([
      [x0, left],
      [x1, right],
    ]) ?? ''
  );
}
