/** NTFS times: hundreds of nanoseconds since 1601, UTC. Shown as ISO 8601 with all seven digits, so that none is lost. */
const TICKS_A_MS = 10_000n;
/** Milliseconds from 1601-01-01 to 1970-01-01. */
const EPOCH_MS = 11_644_473_600_000n;
const LAST_MS = 8_640_000_000_000_000;

/** A time from the two halves of its ticks. */
export function isoFromHalves(low: number, high: number): string | undefined {
  if (low === 0 && high === 0) return undefined;
  // 2^32 ticks are 429 496 ms and 7 296 ticks; in parts every sum stays exact.
  const rest = high * 7296 + low;
  const ms = high * 429_496 + Math.floor(rest / 10_000) - Number(EPOCH_MS);
  if (ms > LAST_MS) return undefined;
  const text = new Date(ms).toISOString();
  return `${text.slice(0, -1)}${(rest % 10_000).toString().padStart(4, '0')}Z`;
}

/** A time from its ticks. */
export function filetimeToIso(ticks: bigint): string | undefined {
  return isoFromHalves(Number(ticks & 0xffffffffn), Number(ticks >> 32n));
}

/** The inverse: an ISO time as ticks, taken as UTC when it names no zone; 0 for none. */
export function isoToFiletime(iso: string | undefined): bigint {
  if (iso === undefined) return 0n;
  const zoned = /(Z|[+-]\d\d:?\d\d)$/.test(iso) || iso.length === 10 ? iso : `${iso}Z`;
  const ms = Date.parse(zoned.replace(/(\.\d{3})\d+/, '$1'));
  if (Number.isNaN(ms)) return 0n;
  const below = /\.\d{3}(\d{1,4})/.exec(iso)?.[1]?.padEnd(4, '0') ?? '0';
  return (BigInt(ms) + EPOCH_MS) * TICKS_A_MS + BigInt(below);
}
