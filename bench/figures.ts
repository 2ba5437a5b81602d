/** What is measured, in one list: each figure with what it should be, printed as it comes. */

/** One figure. A ratio compares with something measured in the same run, so that it tells of this code and not of the machine. */
export interface Figure {
  readonly area: string;
  /** What is measured, and against what; the same from one run to the next. */
  readonly what: string;
  readonly value: number;
  /** `x`: a ratio; `exponent`: of how it grows with size. */
  readonly unit: 'x' | 'exponent' | 's' | 'ms' | 'MiB' | 'kB' | '%' | 'times';
  readonly better: 'less' | 'more';
  /** What it should be at most, or at least. */
  readonly wanted?: number;
  /** Where the figure comes from: seconds, rates, sizes. */
  readonly beside?: string;
}

const all: Figure[] = [];

/** Everything measured so far. */
export const figures = (): readonly Figure[] => all;

/** Whether a figure is what it should be; nothing where nothing is wanted. */
export function reached({ value, wanted, better }: Figure): boolean | undefined {
  if (wanted === undefined) return undefined;
  return better === 'less' ? value <= wanted : value >= wanted;
}

const DIGITS = { x: 2, exponent: 2, s: 2, ms: 1, MiB: 0, kB: 0, '%': 0, times: 0 } as const;
export const inUnit = (value: number, unit: Figure['unit']): string =>
  unit === 'exponent' ? `size^${value.toFixed(2)}` : `${value.toFixed(DIGITS[unit])} ${unit}`;

export const wantedWords = ({ wanted, unit, better }: Figure): string =>
  wanted === undefined ? '' : `${better === 'less' ? 'at most' : 'at least'} ${inUnit(wanted, unit)}`;

/** Prints a figure and keeps it. */
export function figure(one: Figure): void {
  all.push(one);
  const wanted = wantedWords(one);
  const told = [wanted && `wanted ${wanted}${reached(one) ? '' : ', NOT REACHED'}`, one.beside].filter(Boolean);
  process.stdout.write(
    `${one.area}: ${one.what}: ${inUnit(one.value, one.unit)}${told.length > 0 ? ` (${told.join('; ')})` : ''}\n`,
  );
}

/** Something measured at one size. */
export interface Point {
  readonly size: number;
  readonly seconds: number;
}

/** The exponent with which seconds grow with size: the slope of the line of least squares through their logarithms. */
export function exponentOf(points: readonly Point[]): number {
  const logs = points.map(({ size, seconds }) => [Math.log(size), Math.log(Math.max(seconds, 1e-9))] as const);
  const mean = (of: 0 | 1): number => logs.reduce((sum, log) => sum + log[of], 0) / logs.length;
  const [x, y] = [mean(0), mean(1)];
  const [above, below] = logs.reduce(([a, b], log) => [a + (log[0] - x) * (log[1] - y), b + (log[0] - x) ** 2], [0, 0]);
  return above / below;
}

/** How something grows, from what it took at several sizes. Linear has the exponent 1; a little more is noise. */
export function growth(area: string, what: string, points: readonly Point[], sizes: string, wanted = 1.15): void {
  const told = points.map(
    ({ size, seconds }) => `${size.toLocaleString('en').replaceAll(',', ' ')}: ${short(seconds)}`,
  );
  figure({
    area,
    what: `${what}, growing with ${sizes}`,
    value: exponentOf(points),
    unit: 'exponent',
    better: 'less',
    wanted,
    beside: told.join(', '),
  });
}

export const short = (seconds: number): string =>
  seconds < 0.1 ? `${(seconds * 1000).toFixed(1)} ms` : `${seconds.toFixed(2)} s`;

export const median = (values: readonly number[]): number =>
  [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)]!;
