/** The picture of a disk: its column as it is, and beside it as it is planned, joined by bands. */
import type { Survey } from '@/core/inspect';
import { isMade, nameOf, type Layout, type Role } from '@/core/layout';
import { formatSize } from '@/core/size';
import { bandsBetween } from './bands';
import { filledTop, hatchPath, type Drawing, type Mark } from './drawing';
import { layoutColumn, yInSection, type Column, type Section } from './geometry';
import { svgFile } from './svg';
import { titleOf, usedBy, type UsedOf } from './use';

/** Colour tells the role: full where data is, pale where there is room. */
const COLOURS: Readonly<Record<Role, readonly [full: string, pale: string]>> = {
  system: ['#14606a', '#cde1e2'],
  data: ['#b87425', '#f4e3c9'],
  firmware: ['#5b6977', '#dce1e6'],
  recovery: ['#7b4a6b', '#eadbe5'],
  foreign: ['#65752e', '#e3e8ce'],
  swap: ['#7a7264', '#e4dfd5'],
};
const INK = '#1e2a2f';
const MUTED = '#56606a';
const LINE = '#ddd7cb';
const PAPER = '#ffffff';

/** Units of the drawing. */
export interface PictureBox {
  readonly width: number;
  /** More where the sections need it to be read. */
  readonly height: number;
}

const ALONE: PictureBox = { width: 720, height: 420 };
const TOP = 22;
const GAP = 3;
const LEAST = 17;
const RADIUS = 4;
const SIZE = 9.5;
const LINE_HEIGHT = 12;

/** The disk as it is, and as it is planned where `planned` is given, by these headings, with what is in use of either. */
export function pictureOf(
  usedOf: UsedOf,
  now: Layout,
  planned: Layout | undefined,
  box: PictureBox,
  [first, second]: readonly [string, string] = ['Now', 'Planned'],
  usedThen: UsedOf = usedOf,
): Drawing {
  const most = Math.max(now.volumes.length, planned?.volumes.length ?? 0) * 2 + 1;
  const height = Math.max(box.height - TOP - 2, most * (LEAST + GAP));
  const frame = { top: TOP, height, gap: GAP, least: LEAST };
  const width = planned ? box.width * 0.38 : box.width;
  const left = layoutColumn(now, frame);
  const marks: Mark[] = [heading(first, 0)];
  if (planned) {
    const x1 = box.width - width;
    const right = layoutColumn(planned, frame);
    for (const band of bandsBetween(left, right, usedOf, usedThen, width, x1)) {
      const [full] = COLOURS[band.role as Role];
      marks.push({ kind: 'path', path: band.whole, fill: full, opacity: 0.12 });
      marks.push({ kind: 'path', path: band.used, fill: full, opacity: 0.38 });
    }
    marks.push(heading(second, x1), ...columnMarks(right, usedThen, x1, width));
  }
  marks.push(...columnMarks(left, usedOf, 0, width));
  const title = planned ? `The disk ${first.toLowerCase()} and ${second.toLowerCase()}` : 'The disk';
  return { width: box.width, height: TOP + height + 2, title, marks };
}

/** What is in use by a survey, in a picture that stands by itself. */
export const pictureFile = (survey: Survey, now: Layout, planned: Layout | undefined): string =>
  svgFile(pictureOf(usedBy(survey), now, planned, ALONE));

const heading = (text: string, x: number): Mark => ({
  kind: 'text',
  x,
  y: 13,
  text,
  size: 12,
  bold: true,
  fill: INK,
  room: 200,
});

const columnMarks = ({ sections }: Column, usedOf: UsedOf, x: number, width: number): Mark[] =>
  sections.flatMap((section) =>
    section.volume ? volumeMarks(section, usedOf, x, width) : gapMarks(section, x, width),
  );

function gapMarks(section: Section, x: number, width: number): Mark[] {
  const { y, height, start, end } = section;
  const box = { x: x + 0.5, y: y + 0.5, width: width - 1, height: Math.max(1, height - 1) };
  const text = `${formatSize(end - start)} unallocated`;
  const plate = { x: x + 6, y: y + height / 2 - 7, width: Math.min(width - 12, text.length * 5.4 + 10), height: 14 };
  return [
    { kind: 'path', path: hatchPath(box), stroke: LINE },
    { kind: 'box', ...box, radius: RADIUS, stroke: LINE },
    { kind: 'box', ...plate, radius: 3, fill: PAPER },
    { kind: 'text', x: x + 10, y: y + height / 2 + 3.5, text, size: SIZE, fill: MUTED, room: width - 20 },
  ];
}

function volumeMarks(section: Section, usedOf: UsedOf, x: number, width: number): Mark[] {
  const volume = section.volume!;
  const { y, height } = section;
  const used = usedOf(volume);
  const filled = used === undefined ? height : yInSection(section, section.start + used) - y;
  const [full, pale] = COLOURS[volume.role];
  const box = { x: x + 0.5, y: y + 0.5, width: width - 1, height: Math.max(1, height - 1) };
  const dashed = isMade(volume) || volume.origin.kind === 'copy';
  return [
    { kind: 'box', ...box, radius: RADIUS, fill: pale },
    { kind: 'path', path: filledTop(box, filled, RADIUS), fill: full },
    { kind: 'box', ...box, radius: RADIUS, stroke: full, dashed },
    ...sectionText(section, used, y + filled, x, width),
  ];
}

/** Text is white where it stands on the full colour, ink where it stands on the pale one. */
function sectionText(section: Section, used: number | undefined, fillEnd: number, x: number, width: number): Mark[] {
  const volume = section.volume!;
  const { y, height } = section;
  const name = [volume.letter, volume.label || (volume.letter ? '' : nameOf(volume))].filter(Boolean).join('  ');
  const size = formatSize(volume.length);
  const title = titleOf(volume);
  const state = used === undefined ? 'kept as it is' : used === 0 ? 'empty' : `${formatSize(used)} in use`;
  const lines =
    height >= 4 * LINE_HEIGHT
      ? [[name, volume.role], [size], [`${title}, ${state}`]]
      : height >= 2.4 * LINE_HEIGHT
        ? [[name, volume.role], [`${size}  ${title}, ${state}`]]
        : [[name, `${size}  ${title}`]];
  // Below a thin filled top, so that no line stands half on each colour.
  const thin = fillEnd > y + 2 && fillEnd < y + 16 && height - (fillEnd - y) > lines.length * LINE_HEIGHT + 4;
  const first = lines.length === 1 ? y + height / 2 + 3.5 : thin ? fillEnd + LINE_HEIGHT : y + 14;
  const crossed = lines.length === 1 && fillEnd > first - SIZE && fillEnd < first + 3;
  const [, pale] = COLOURS[volume.role];
  return lines.flatMap(([left, right], i): Mark[] => {
    const base = first + i * LINE_HEIGHT;
    const fill = base - 3 <= fillEnd && !crossed ? PAPER : INK;
    const room = width - 20;
    const share = right ? 0.56 : 1;
    const text = { kind: 'text', y: base, size: SIZE, fill } as const;
    // A single line that the edge of what is filled would run through stands on a plate of its own.
    const plate = (at: number, wide: number): Mark[] =>
      crossed ? [{ kind: 'box', x: at, y: first - SIZE, width: wide, height: SIZE + 3, radius: 2, fill: pale }] : [];
    const wide = (line: string): number => line.length * SIZE * 0.6 + 6;
    return [
      ...plate(x + 7, Math.min(room, wide(left!))),
      ...(right ? plate(x + width - 7 - wide(right), wide(right)) : []),
      { ...text, x: x + 10, text: left!, bold: i === 0, room: room * share },
      ...(right ? [{ ...text, x: x + width - 10, text: right, end: true, room: room * (1 - share) }] : []),
    ];
  });
}
