/**
 * The manifest of a volume: every file and folder with size, times, attributes and the SHA-256 of its content.
 *
 * Where a device knows that content comes from a procedural source, the digest is taken over the source's description
 * instead of the bytes, and says so: equal sources give equal bytes. On image files bytes are always hashed.
 */
import { isZeros } from '@/core/bytes';
import { PIECE_BYTES, type BlockDevice, type SourceRun } from '@/core/device';
import type { ContentRun, EntryKind, FileEntry, Volume } from '@/core/fs';
import { isCoreError } from '@/core/errors';
import { portableHasher, type Hasher, type HasherFactory } from './hasher';

/** How a digest was taken: over all bytes, over their source, or over what a damaged file still has. */
type DigestMethod = 'bytes' | 'source' | 'part';

/** One file or folder. Plain data; folders have no digest. */
export interface ManifestEntry {
  readonly path: string;
  readonly kind: EntryKind;
  /** The name of the stream, for one beside a file’s content. */
  readonly stream?: string;
  readonly size: number;
  readonly times: FileEntry['times'];
  readonly attributes: readonly string[];
  /** What stands beside its content, in short, where the kind has owners. */
  readonly beside?: string;
  readonly sha256?: string;
  readonly method?: DigestMethod;
  /** Bytes of its content that could not be read, and were taken for zeros. */
  readonly lost?: number;
}

const SHORT = 1024;
/** Files up to so many bytes are read whole, and hashed while the next ones are read. */
const WHOLE = 8 * 1024 * 1024;
/** Bytes that may wait for their digests. */
const MOST_UNDER_WAY = 48 * 1024 * 1024;
/** Entries that were handed on, before they are let go of. */
const MOST_GONE = 1024;

/** What {@link takeManifest} tells while it reads. */
interface ManifestProgress {
  readonly files: number;
  readonly bytes: number;
}

export interface ManifestOptions {
  readonly hasher?: HasherFactory;
  readonly progress?: (progress: ManifestProgress) => void;
  readonly signal?: AbortSignal;
  /** How many bytes were lost so far by the device that is read; a failing one is read as far as it goes. */
  readonly lost?: () => number;
  /** Reads only what this says; folders are told all the same. */
  readonly only?: (entry: FileEntry) => boolean;
  /** Hash bytes even where the source is known. */
  readonly alwaysBytes?: boolean;
}

/**
 * Reads every file of the volume that `device` is the window of, in the volume's own order.
 * @throws CoreError `device.read-failed` or `fs.damaged`; the signal's reason when aborted
 */
export async function* takeManifest(
  volume: Volume,
  device: BlockDevice,
  options: ManifestOptions = {},
): AsyncGenerator<ManifestEntry> {
  let files = 0;
  let bytes = 0;
  const reader = new ContentReader(volume, device, options, (n) => {
    bytes += n;
    options.progress?.({ files, bytes });
  });
  const { only } = options;
  const underWay = new UnderWay();
  for await (const entry of volume.walk()) {
    options.signal?.throwIfAborted();
    const { path, kind, size, times, attributes, stream, beside } = entry;
    const named = { ...(stream === undefined ? {} : { stream }), ...(beside === undefined ? {} : { beside }) };
    if (kind === 'folder' || (only && !only(entry))) {
      if (kind !== 'folder') continue;
      underWay.add({ path, kind, ...named, size, times, attributes });
    } else {
      const before = options.lost?.() ?? 0;
      const { method, sha256 } = await reader.digest(entry);
      files += 1;
      // What was not read because its source is known counts as done all the same.
      if (method === 'source') bytes += size;
      options.progress?.({ files, bytes });
      const made = { path, kind, ...named, size, times, attributes, ...lostSince(before, options), method };
      underWay.add(made, sha256, size);
    }
    while (underWay.isReady) yield await underWay.next();
  }
  while (!underWay.isEmpty) yield await underWay.next();
}

function lostSince(before: number, { lost }: ManifestOptions): Pick<ManifestEntry, 'lost'> {
  const bytes = (lost?.() ?? 0) - before;
  return bytes > 0 ? { lost: bytes } : {};
}

/** Reads files one after the other; their digests may still be made while the next one is read. */
class ContentReader {
  readonly #buffers: readonly [Uint8Array, Uint8Array];
  /** Grows to what is read whole, and is used for each file in turn. */
  #whole = new Uint8Array(0);

  constructor(
    private readonly volume: Volume,
    private readonly device: BlockDevice,
    private readonly options: ManifestOptions,
    private readonly read: (bytes: number) => void,
  ) {
    const length = Math.max(1, Math.min(PIECE_BYTES, device.size));
    this.#buffers = [new Uint8Array(length), new Uint8Array(length)];
  }

  async digest(entry: FileEntry): Promise<{ sha256: Promise<string> | string; method: DigestMethod }> {
    const { hasher = portableHasher, alwaysBytes } = this.options;
    const { runs, whole } = await contentOf(this.volume, entry);
    // What is short may be stored in another way where it comes to, and is cheap to read.
    const short = entry.size <= SHORT;
    const sources = alwaysBytes || short || !whole ? undefined : sourcesOf(this.device, runs);
    if (sources) {
      const hash = await hasher();
      hash.update(new TextEncoder().encode(JSON.stringify(sources)));
      return { sha256: hash.digest(), method: 'source' };
    }
    const method = whole ? 'bytes' : 'part';
    const length = runs.reduce((sum, run) => sum + lengthOf(run), 0);
    if (!hasher.whole || length > WHOLE) return { sha256: await this.#hashed(runs, await hasher()), method };
    if (this.#whole.length < length) this.#whole = new Uint8Array(Math.min(WHOLE, 2 * length));
    const bytes = this.#whole.subarray(0, length);
    let at = 0;
    for (const run of runs) {
      const part = bytes.subarray(at, at + lengthOf(run));
      await this.#readPart(run, 0, part);
      at += part.length;
    }
    return { sha256: hasher.whole(bytes), method };
  }

  /** The digest of what is long: while one piece is hashed the next one is read. */
  async #hashed(runs: readonly ContentRun[], hash: Hasher): Promise<string> {
    let last: Uint8Array | undefined;
    let turn = 0;
    for (const run of runs) {
      const length = lengthOf(run);
      for (let done = 0; done < length; done += this.#buffers[0].length) {
        const part = this.#buffers[turn]!.subarray(0, Math.min(this.#buffers[0].length, length - done));
        const reading = this.#readPart(run, done, part);
        if (last) {
          // A fault of the reading is told where it is waited for.
          reading.catch(() => undefined);
          hash.update(last);
        }
        await reading;
        [last, turn] = [part, 1 - turn];
      }
    }
    if (last) hash.update(last);
    return hash.digest();
  }

  async #readPart(run: ContentRun, done: number, part: Uint8Array): Promise<void> {
    this.options.signal?.throwIfAborted();
    if (run.kind === 'at') await this.device.read(run.offset + done, part);
    else if (run.kind === 'zeros') part.fill(0);
    else part.set(run.bytes.subarray(done, done + part.length));
    this.read(part.length);
  }
}

const lengthOf = (run: ContentRun): number => (run.kind === 'bytes' ? run.bytes.length : run.length);

/** Entries in their order, the first of which may still wait for their digests. */
class UnderWay {
  readonly #entries: { readonly entry: ManifestEntry; sha256: Promise<string> | string | undefined; bytes: number }[] =
    [];
  #first = 0;
  #bytes = 0;

  add(entry: ManifestEntry, sha256?: Promise<string> | string, bytes = 0): void {
    const waiting = { entry, sha256, bytes };
    this.#entries.push(waiting);
    this.#bytes += bytes;
    if (typeof sha256 !== 'object') return;
    sha256.then(
      (digest) => (waiting.sha256 = digest),
      // Told to who waits for it.
      () => undefined,
    );
  }

  get isEmpty(): boolean {
    return this.#first === this.#entries.length;
  }

  /** Whether the first has its digest, or so much is under way that it is to be waited for. */
  get isReady(): boolean {
    const first = this.#entries[this.#first];
    return first !== undefined && (typeof first.sha256 !== 'object' || this.#bytes > MOST_UNDER_WAY);
  }

  async next(): Promise<ManifestEntry> {
    const { entry, sha256, bytes } = this.#entries[this.#first]!;
    this.#first += 1;
    if (this.isEmpty || this.#first > MOST_GONE) {
      this.#entries.splice(0, this.#first);
      this.#first = 0;
    }
    this.#bytes -= bytes;
    return sha256 === undefined ? entry : { ...entry, sha256: await sha256 };
  }
}

/** A file's content as far as it goes: a damaged file is proven to have kept what it had. */
async function contentOf(volume: Volume, entry: FileEntry): Promise<{ runs: ContentRun[]; whole: boolean }> {
  const runs: ContentRun[] = [];
  try {
    for await (const run of volume.content(entry)) runs.push(run);
    return { runs, whole: true };
  } catch (error) {
    if (!isCoreError(error, 'fs.damaged')) throw error;
    return { runs, whole: false };
  }
}

const BLOCK = 64 * 1024;

/**
 * A volume whose files can't be read, as one entry: the digest of its blocks that are not all zeros, each with its
 * place, so that empty stretches cost nothing.
 */
export async function digestWhole(device: BlockDevice, options: ManifestOptions = {}): Promise<ManifestEntry> {
  const hash = await (options.hasher ?? portableHasher)();
  const place = new DataView(new ArrayBuffer(8));
  const before = options.lost?.() ?? 0;
  let bytes = 0;
  let next = 0;
  for (const range of device.occupied()) {
    for (let at = Math.max(next, Math.floor(range.start / BLOCK) * BLOCK); at < range.end; at += BLOCK) {
      options.signal?.throwIfAborted();
      const block = await device.bytes(at, Math.min(BLOCK, device.size - at));
      next = at + BLOCK;
      bytes += block.length;
      options.progress?.({ files: 0, bytes });
      if (isZeros(block)) continue;
      place.setBigUint64(0, BigInt(at), true);
      hash.update(new Uint8Array(place.buffer));
      hash.update(block);
    }
  }
  const sha256 = await hash.digest();
  return {
    path: '(the whole volume)',
    kind: 'file',
    size: device.size,
    times: {},
    attributes: [],
    sha256,
    method: 'bytes',
    ...lostSince(before, options),
  };
}

/** The procedural sources of a file, joined where they continue each other, or undefined when any byte is real. */
function sourcesOf(device: BlockDevice, runs: readonly ContentRun[]): SourceRun[] | undefined {
  const out: { seed: number; at: number; length: number }[] = [];
  for (const run of runs) {
    if (run.kind !== 'at') return undefined;
    const sources = device.sources(run.offset, run.length);
    if (!sources) return undefined;
    for (const source of sources) {
      const last = out.at(-1);
      if (last && last.seed === source.seed && last.at + last.length === source.at) last.length += source.length;
      else out.push({ ...source });
    }
  }
  return out.length > 0 ? out : undefined;
}
