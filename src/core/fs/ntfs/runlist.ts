/**
 * Runlists: where the clusters of a non-resident attribute lie.
 *
 * Linux-NTFS “NTFS Documentation”, chapter “Data Runs”: each pair begins with a byte of two nibbles, the widths of the
 * length and of the signed distance from the run before; a width of 0 for the distance means a hole.
 */

/** A run of clusters; `lcn` is {@link HOLE} for one that is not stored. */
export interface DataRun {
  readonly lcn: number;
  readonly length: number;
}

/** The LCN of a hole. */
export const HOLE = -1;

const MAX_RUNS = 1_000_000;

/**
 * Goes along mapping pairs in bytes [from, to). Values are exact below 2^53.
 * @returns the clusters they stand for, or -1 when they run past their bytes, leave the volume, or are longer than
 *   `maxClusters` altogether
 */
export function followRuns(
  bytes: Uint8Array,
  from: number,
  to: number,
  clusterCount: number,
  maxClusters: number,
  each?: (lcn: number, length: number) => void,
): number {
  let lcn = 0;
  let total = 0;
  for (let at = from, count = 0; count < MAX_RUNS && at < to; count++) {
    const head = bytes[at]!;
    if (head === 0) return total;
    const lengthWidth = head & 0x0f;
    const distanceWidth = head >> 4;
    if (lengthWidth === 0 || lengthWidth > 8 || distanceWidth > 8 || at + 1 + lengthWidth + distanceWidth > to)
      return -1;
    const length = readSigned(bytes, at + 1, lengthWidth);
    const distance = readSigned(bytes, at + 1 + lengthWidth, distanceWidth);
    at += 1 + lengthWidth + distanceWidth;
    total += length;
    // What is not finite fails each of these.
    if (!(length > 0 && total <= maxClusters)) return -1;
    if (distanceWidth === 0) {
      each?.(HOLE, length);
      continue;
    }
    lcn += distance;
    if (!(lcn >= 0 && lcn + length <= clusterCount)) return -1;
    each?.(lcn, length);
  }
  return -1;
}

/** Decodes mapping pairs. @returns undefined when {@link followRuns} makes no sense of them */
export function decodeRuns(pairs: Uint8Array, clusterCount: number, maxClusters: number): DataRun[] | undefined {
  const runs: DataRun[] = [];
  const add = (lcn: number, length: number): void => void runs.push({ lcn, length });
  return followRuns(pairs, 0, pairs.length, clusterCount, maxClusters, add) < 0 ? undefined : runs;
}

/** A signed little-endian integer; anything beyond 2^53 comes out as not finite and fails every comparison. */
function readSigned(bytes: Uint8Array, at: number, width: number): number {
  if (width === 0) return 0;
  let value = 0;
  for (let i = width - 1; i >= 0; i--) value = value * 256 + bytes[at + i]!;
  const negative = bytes[at + width - 1]! >= 0x80;
  const signed = negative ? value - 256 ** width : value;
  return Number.isSafeInteger(signed) ? signed : Number.NaN;
}

/** Encodes runs as mapping pairs with their end mark; the inverse of {@link decodeRuns}. */
export function encodeRuns(runs: readonly DataRun[]): Uint8Array {
  return encodeRunsWithin(runs, 0, Infinity).pairs;
}

/**
 * Encodes runs from index `from` on, as many as `room` bytes hold with their end mark. Distances begin at cluster 0, as
 * they do at the start of every piece of a runlist.
 * @returns the pairs, and the index of the first run that is not among them
 */
export function encodeRunsWithin(
  runs: readonly DataRun[],
  from: number,
  room: number,
): { pairs: Uint8Array; next: number } {
  const out: number[] = [];
  let previous = 0;
  let next = from;
  for (; next < runs.length; next++) {
    const { lcn, length } = runs[next]!;
    const lengthBytes = signedBytes(length);
    const distance = lcn === HOLE ? [] : signedBytes(lcn - previous);
    if (out.length + 2 + lengthBytes.length + distance.length > room) break;
    if (lcn !== HOLE) previous = lcn;
    out.push((distance.length << 4) | lengthBytes.length, ...lengthBytes, ...distance);
  }
  return { pairs: Uint8Array.from([...out, 0]), next };
}

/** How many clusters the runs stand for, holes included. */
export function clustersOf(runs: readonly DataRun[]): number {
  return runs.reduce((sum, run) => sum + run.length, 0);
}

/** Adds a run behind the others, joined to the last where it goes on from it. */
export function appendRun(runs: DataRun[], run: DataRun): void {
  const last = runs.at(-1);
  const goesOn =
    last && (run.lcn === HOLE ? last.lcn === HOLE : last.lcn !== HOLE && last.lcn + last.length === run.lcn);
  if (goesOn) runs[runs.length - 1] = { lcn: last.lcn, length: last.length + run.length };
  else runs.push(run);
}

/** The shortest signed little-endian form. */
function signedBytes(value: number): number[] {
  const out: number[] = [];
  let rest = value;
  do {
    const byte = ((rest % 256) + 256) % 256;
    out.push(byte);
    rest = (rest - byte) / 256;
  } while (!((rest === 0 && out.at(-1)! < 0x80) || (rest === -1 && out.at(-1)! >= 0x80)));
  return out;
}
