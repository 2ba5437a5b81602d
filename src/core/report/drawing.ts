/**
 * A drawing as plain data: what is drawn once goes into a page, a file and a paper alike. Lengths are in units of the
 * drawing, colours as `#rrggbb`.
 */
export interface Drawing {
  readonly width: number;
  readonly height: number;
  /** What it shows, for who can’t see it. */
  readonly title: string;
  readonly marks: readonly Mark[];
}

interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** A rectangle, its corners round by `radius`. */
interface BoxMark extends Box {
  readonly kind: 'box';
  readonly radius?: number;
  readonly fill?: string;
  readonly stroke?: string;
  readonly dashed?: boolean;
}

/** A path as in SVG. */
interface PathMark {
  readonly kind: 'path';
  readonly path: string;
  readonly fill?: string;
  readonly stroke?: string;
  readonly opacity?: number;
}

/** A line of text on its baseline, squeezed into `room` where it is longer. */
export interface TextMark {
  readonly kind: 'text';
  readonly x: number;
  readonly y: number;
  readonly text: string;
  readonly size: number;
  readonly bold?: boolean;
  readonly end?: boolean;
  readonly fill: string;
  readonly room: number;
}

export type Mark = BoxMark | PathMark | TextMark;

/** The strokes of a hatched rectangle, as a path: lines at 45°, each cut where the rectangle ends. */
export function hatchPath({ x, y, width, height }: Box, pitch = 7): string {
  const lines: string[] = [];
  const at = (n: number): string => n.toFixed(2);
  for (let d = pitch; d < width + height; d += pitch) {
    const [x0, y0] = d <= width ? [x + d, y] : [x + width, y + d - width];
    const [x1, y1] = d <= height ? [x, y + d] : [x + d - height, y + height];
    lines.push(`M${at(x0)} ${at(y0)}L${at(x1)} ${at(y1)}`);
  }
  return lines.join('');
}

/** The part of a rounded rectangle above `height`, as a path: round where the rectangle is. */
export function filledTop({ x, y, width, height }: Box, filled: number, radius: number): string {
  const r = Math.min(radius, height / 2);
  const low = Math.min(filled, height);
  if (low <= 0) return '';
  const bottom = y + low;
  const round = Math.max(0, low - (height - r));
  const top = Math.min(r, low);
  const [left, right] = [x, x + width];
  const foot =
    round > 0
      ? `V${y + height - r}Q${right} ${bottom} ${right - round} ${bottom}H${left + round}Q${left} ${bottom} ${left} ${y + height - r}`
      : `V${bottom}H${left}`;
  return `M${left} ${y + top}Q${left} ${y} ${left + top} ${y}H${right - top}Q${right} ${y} ${right} ${y + top}${foot}Z`;
}
