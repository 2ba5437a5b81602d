/**
 * Volumes that no table names: every sector that belongs to none is asked whether a boot sector, a superblock, or a copy
 * of one stands on it, and what that tells of is opened as its driver would.
 */
import { PatchedDevice, SalvageDevice, WindowDevice, type BlockDevice } from '@/core/device';
import { hasErrors, isCoreError } from '@/core/errors';
import {
  kindFacts,
  overlapsAny,
  tracesIn,
  whereOpen,
  type ByteRange,
  type FileSystemDriver,
  type Mend,
  type Volume,
} from '@/core/fs';
import { highestNumber, type Survey } from './survey';
import { BARE_PLACE, noteOf, surveyOpened, unopenedAt, type OnOpened, type SurveyedVolume } from './survey-volume';

const STEP = 512;
const CHUNK = 4 * 1024 * 1024;
/** What a driver is shown from a sector on: the largest page of a swap area. */
const AHEAD = 64 * 1024;

export interface FindOptions {
  readonly signal?: AbortSignal;
  /** Told of the bytes gone over, and of all of them. */
  readonly progress?: (done: number, total: number) => void;
  readonly opened?: OnOpened;
}

/** Where a volume may be. */
interface Candidate {
  readonly driver: FileSystemDriver;
  readonly start: number;
  readonly length: number;
}

/**
 * Every volume that can be opened where no volume is: by place, those that overlap by what can be read of them. Their
 * numbers come behind those of the survey.
 * @throws the signal's reason when aborted
 */
export async function findLost(
  device: BlockDevice,
  survey: Survey,
  { signal, progress, opened = () => undefined }: FindOptions = {},
): Promise<SurveyedVolume[]> {
  const source = new SalvageDevice(device, () => undefined);
  const stretches = stretchesBeside(survey);
  const total = stretches.reduce((sum, s) => sum + s.end - s.start, 0);
  const found = new Map<string, Candidate>();
  let done = 0;
  for (const stretch of stretches) {
    for await (const candidate of candidatesIn(source, stretch, signal, (at) =>
      progress?.(done + at - stretch.start, total),
    ))
      found.set(`${candidate.driver.name} ${candidate.start} ${candidate.length}`, candidate);
    done += stretch.end - stretch.start;
  }
  const read: SeenLost[] = [];
  for (const candidate of found.values()) {
    signal?.throwIfAborted();
    const seen = await readCandidate(source, candidate);
    if (seen) read.push(seen);
  }
  // What was found before is found again.
  const highest = highestNumber({ ...survey, lost: [] });
  return ranked(read).map(({ volume, open, window }, i) => {
    const number = highest + 1 + i;
    opened(number, { volume: open, window });
    return { ...volume, number };
  });
}

/** What the volumes of a disk leave, whether it could hold a new one or not; the first sector is the table's. */
function stretchesBeside({ size, sectorSize, volumes }: Survey): ByteRange[] {
  const out: ByteRange[] = [];
  let at = sectorSize;
  for (const { start, length } of [...volumes, { start: size, length: 0 }]) {
    if (start > at) out.push({ start: at, end: Math.min(start, size) });
    at = Math.max(at, start + length);
  }
  return out;
}

/** Places that what stands in a stretch tells of, which lie in it whole. */
async function* candidatesIn(
  device: BlockDevice,
  stretch: ByteRange,
  signal: AbortSignal | undefined,
  told: (at: number) => void,
): AsyncGenerator<Candidate> {
  const buffer = new Uint8Array(CHUNK + AHEAD);
  let next = stretch.start;
  for (const range of device.occupied(stretch.start, stretch.end)) {
    let at = Math.max(next, Math.floor(range.start / STEP) * STEP);
    for (; at < range.end; at += CHUNK) {
      signal?.throwIfAborted();
      const length = Math.min(CHUNK + AHEAD, stretch.end - at);
      // What is made up has no structures in it, and takes long to make.
      if (device.sources(at, length)) continue;
      const read = buffer.subarray(0, length);
      await device.read(at, read);
      for (let i = 0; i < Math.min(CHUNK, length) && i + 2 * STEP <= length; i += STEP)
        for (const { driver, start, length: whole } of tracesIn(read, i, at + i, AHEAD))
          if (start >= stretch.start && start % device.sectorSize === 0 && start + whole <= stretch.end && whole > 0)
            yield { driver, start, length: whole };
      told(Math.min(at + CHUNK, stretch.end));
    }
    next = at;
  }
  told(stretch.end);
}

interface SeenLost {
  readonly volume: SurveyedVolume;
  readonly open: Volume;
  readonly window: BlockDevice;
}

/** Opens a candidate, mended where it has to be. */
async function readCandidate(device: BlockDevice, { driver, start, length }: Candidate): Promise<SeenLost | undefined> {
  const size = Math.ceil(length / device.sectorSize) * device.sectorSize;
  if (start + size > device.size) return undefined;
  const window = new WindowDevice(device, start, size);
  const kept: { volume: Volume; window: BlockDevice }[] = [];
  const base = unopenedAt({ ...BARE_PLACE, number: 1, start, length: size });
  const open = async (mends: readonly Mend[]): Promise<SurveyedVolume | undefined> => {
    const patched = mends.length > 0 ? new PatchedDevice(window, mends) : window;
    return whereOpen(() => surveyOpened(patched, driver, base, (_, one) => kept.push(one)));
  };
  let mends: readonly Mend[] = [];
  let volume = await open(mends);
  if (!volume || hasErrors(volume.findings)) {
    mends = await driver.mends(window);
    if (mends.length > 0) volume = (await open(mends)) ?? volume;
  }
  if (!volume?.info) return undefined;
  const { volume: opened, window: through } = kept.at(-1)!;
  const type = kindFacts(volume.info.kind).mbrType(size);
  const seen = mends.length > 0 ? { volume, mends: mends.map(noteOf) } : undefined;
  const whole = hasErrors(volume.findings) ? await wholeFiles(opened) : volume.files;
  return { volume: { ...volume, type, seen, lost: { whole } }, open: opened, window: through };
}

/** How many files have all of their content. */
async function wholeFiles(volume: Volume): Promise<number> {
  let whole = 0;
  for await (const entry of volume.walk()) {
    if (entry.kind !== 'file' || entry.stream !== undefined) continue;
    try {
      const runs = volume.content(entry)[Symbol.asyncIterator]();
      while (!(await runs.next()).done);
      whole += 1;
    } catch (error) {
      if (!isCoreError(error, 'fs.damaged')) throw error;
    }
  }
  return whole;
}

const overlap = (a: ByteRange, b: ByteRange): boolean => a.start < b.end && b.start < a.end;
const placeOf = ({ volume: { start, length } }: SeenLost): ByteRange => ({ start, end: start + length });

/** Fewer errors before more, then more whole files before fewer. */
function better(a: SeenLost, b: SeenLost): number {
  const errors = ({ volume }: SeenLost): number => volume.findings.filter((f) => f.severity === 'error').length;
  return errors(a) - errors(b) || b.volume.lost!.whole - a.volume.lost!.whole || a.volume.start - b.volume.start;
}

/** A boot sector that is taken for its copy, or a copy for the first, tells of the same volume at another place. */
const isSame = ({ volume: { info: a } }: SeenLost, { volume: { info: b } }: SeenLost): boolean =>
  a!.kind === b!.kind && a!.serial === b!.serial;

/** What lies in the content of a sound volume is a file of that. */
function isInside({ volume: one }: SeenLost, { volume }: SeenLost): boolean {
  const [from, to] = [one.start - volume.start, one.start + one.length - volume.start];
  if (from < 0 || to > volume.length || hasErrors(volume.findings)) return false;
  return overlapsAny(volume.allocation, from, from + STEP);
}

/** Nothing can be read of it where a sound one lies. */
const isNothingBeside = ({ volume: one }: SeenLost, { volume }: SeenLost): boolean =>
  hasErrors(one.findings) && one.lost!.whole === 0 && !hasErrors(volume.findings);

/** By place; of those that overlap the better first. */
function ranked(all: readonly SeenLost[]): SeenLost[] {
  const best = [...all].sort(better);
  const kept: SeenLost[] = [];
  for (const one of best) {
    const place = placeOf(one);
    const over = kept.filter((k) => overlap(place, placeOf(k)));
    if (!over.some((k) => isSame(one, k) || isInside(one, k) || isNothingBeside(one, k))) kept.push(one);
  }
  // Groups of overlapping ones by where the first of each begins.
  const groups: SeenLost[][] = [];
  for (const one of kept) {
    const group = groups.find((g) => g.some((other) => overlap(placeOf(one), placeOf(other))));
    if (group) group.push(one);
    else groups.push([one]);
  }
  const first = (group: readonly SeenLost[]): number => Math.min(...group.map((g) => g.volume.start));
  return groups.sort((a, b) => first(a) - first(b)).flat();
}
