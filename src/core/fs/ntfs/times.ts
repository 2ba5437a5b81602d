/** NTFS times: hundreds of nanoseconds since 1601, UTC. Shown as ISO 8601 with all seven digits, so that none is lost. */
const TICKS_A_MS = 10_000n;
/** Milliseconds from 1601-01-01 to 1970-01-01. */
const EPOCH_MS = 11_644_473_600_000n;
const LAST_MS = 8_640_000_000_000_000n;

export function filetimeToIso(ticks: bigint): string | undefined {
  if (ticks === 0n) return undefined;
  const ms = ticks / TICKS_A_MS - EPOCH_MS;
  if (ms > LAST_MS) return undefined;
  const below = (ticks % TICKS_A_MS).toString().padStart(4, '0');
  return new Date(Number(ms)).toISOString().replace('Z', `${below}Z`);
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
