/** CSV (RFC 4180). Whatever comes from a disk stays text in a spreadsheet. */
import Papa from 'papaparse';
import type { ManifestEntry } from './manifest';

type Cell = string | number;

/** What a spreadsheet takes for the beginning of a formula, whatever follows: a line break too. */
const FORMULA = /^[=+\-@\t\r]/;

/** Rows as CSV, each ended; a cell that a spreadsheet would take for a formula begins with `'`. */
export const csvOf = (rows: readonly (readonly Cell[])[]): string =>
  rows.length === 0 ? '' : `${Papa.unparse(rows as Cell[][], { escapeFormulae: FORMULA })}\r\n`;

const HEADER = [
  'path',
  'stream',
  'kind',
  'size',
  'created',
  'modified',
  'accessed',
  'attributes',
  'beside',
  'sha256',
  'method',
];
const ROWS_AT_ONCE = 2000;

/** A manifest as CSV, piece by piece: a header, then one row an entry. */
export function* manifestCsv(entries: readonly ManifestEntry[]): Generator<string> {
  yield csvOf([HEADER]);
  for (let i = 0; i < entries.length; i += ROWS_AT_ONCE) yield csvOf(entries.slice(i, i + ROWS_AT_ONCE).map(rowOf));
}

function rowOf({ path, stream, kind, size, times, attributes, beside, sha256, method }: ManifestEntry): Cell[] {
  const { created = '', modified = '', accessed = '' } = times;
  return [
    path,
    stream ?? '',
    kind,
    size,
    created,
    modified,
    accessed,
    attributes.join(' '),
    beside ?? '',
    sha256 ?? '',
    method ?? '',
  ];
}
