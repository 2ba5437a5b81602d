/** A drawing as SVG 1.1: one file without scripts, fonts or links. */
import type { Drawing, Mark } from './drawing';
import { escaped } from './markup';

const FONT = "'Public Sans Variable','DejaVu Sans',system-ui,sans-serif";

/** Most letters are no wider than this share of their size. */
const WIDTH_OF_LETTER = 0.58;

type Attributes = Readonly<Record<string, string | number | undefined>>;

const attributes = (all: Attributes): string =>
  Object.entries(all)
    .flatMap(([name, value]) => (value === undefined ? [] : [` ${name}="${round(value)}"`]))
    .join('');

const round = (value: string | number): string | number =>
  typeof value === 'number' ? Math.round(value * 100) / 100 : value;

function element(mark: Mark): string {
  if (mark.kind === 'path') {
    const { path, fill = 'none', stroke, opacity } = mark;
    return `<path${attributes({ d: path, fill, stroke, opacity })}/>`;
  }
  if (mark.kind === 'box') {
    const { x, y, width, height, radius, fill = 'none', stroke, dashed } = mark;
    const dashes = dashed ? '6 4' : undefined;
    return `<rect${attributes({ x, y, width, height, rx: radius, fill, stroke, 'stroke-dasharray': dashes })}/>`;
  }
  const { x, y, text, size, bold, end, fill, room } = mark;
  const squeezed = text.length * size * WIDTH_OF_LETTER > room;
  const all = {
    x,
    y,
    'font-size': size,
    'font-weight': bold ? 700 : undefined,
    'text-anchor': end ? 'end' : undefined,
    fill,
    textLength: squeezed ? room : undefined,
    lengthAdjust: squeezed ? 'spacingAndGlyphs' : undefined,
  };
  return `<text${attributes(all)}>${escaped(text)}</text>`;
}

/** A drawing as the text of an SVG element, to stand in a page. */
export function svgElement({ width, height, title, marks }: Drawing): string {
  const head = `<svg xmlns="http://www.w3.org/2000/svg"${attributes({ viewBox: `0 0 ${width} ${height}`, width, height })} role="img" font-family="${FONT}">`;
  return `${head}<title>${escaped(title)}</title>${marks.map(element).join('')}</svg>`;
}

/** A drawing as a file of its own. */
export const svgFile = (drawing: Drawing): string => `<?xml version="1.0" encoding="UTF-8"?>\n${svgElement(drawing)}\n`;
