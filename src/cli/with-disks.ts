/** Other disks that a target names: `--with NAME=FILE`, each opened to be looked at. */
import type { BlockDevice } from '@/core/device';
import { copySourcesOf } from '@/core/inspect';
import type { NamedSources } from '@/core/job';
import { HERE, type DiskId } from '@/core/place';
import type { PlanSource, SourceDisk } from '@/core/plan';
import type { Session } from '@/core/session';
import { assertApart, SCRATCH, type Files, type Wanted } from './files';
import { openImage, type ImageOptions } from './open-image';
import { UsageError } from './output';

/** A disk that was named. */
export interface NamedFile {
  readonly name: string;
  readonly path: string;
}

/** Other disks, open. The caller closes them. */
export interface WithDisks {
  readonly named: NamedSources;
  readonly sources: readonly SourceDisk[];
  readonly devices: ReadonlyMap<DiskId, BlockDevice>;
  /** Volumes of the disks that were surveyed. */
  readonly sessions: ReadonlyMap<DiskId, Session>;
  /** Those whose files are containers and not the disks' bytes themselves. */
  readonly packed: ReadonlySet<DiskId>;
  close(): Promise<void>;
}

/** @throws UsageError where it is not NAME=FILE, or a name is given twice or is not to be had */
export function namedFiles(texts: readonly string[] = []): NamedFile[] {
  const out = texts.map((text): NamedFile => {
    const at = text.indexOf('=');
    const [name, path] = [text.slice(0, at), text.slice(at + 1)];
    if (at < 1 || !path) throw new UsageError(`Say --with NAME=FILE, not ${text}.`);
    if (name === HERE || name === SCRATCH)
      throw new UsageError(`${name} has a meaning of its own. Give the disk another name.`);
    return { name, path };
  });
  const twice = out.find(({ name }, i) => out.findIndex((o) => o.name === name) !== i);
  if (twice) throw new UsageError(`Two disks are called ${twice.name}.`);
  return out;
}

/**
 * What they are held as.
 * @param written other files that are written
 * @param also disks that are written too
 * @throws CoreError `file.same` where one is a file that is written, or two of which one is are the same
 */
export async function wantedOf(
  files: readonly NamedFile[],
  written: readonly string[],
  from: Files,
  also: ReadonlySet<DiskId> = new Set(),
): Promise<Wanted[]> {
  for (const { path } of files) for (const other of written) await assertApart(from, other, path);
  for (const one of files.filter((f) => also.has(f.name)))
    for (const other of files.filter((f) => f !== one)) await assertApart(from, one.path, other.path);
  return files.map(({ name, path }) => ({ path, mode: also.has(name) ? ('write' as const) : ('read' as const) }));
}

/** Opens and surveys the disks. @throws what {@link openImage} throws */
export async function openWith(files: Files, named: readonly NamedFile[], options: ImageOptions): Promise<WithDisks> {
  const { sectorSize: _own, ...rest } = options;
  return opened(named, async ({ path }) => {
    const { device, session, packed, close } = await openImage(files, path, rest);
    return { device, session, packed, close };
  });
}

/** Opens the disks that a plan reads from, as they were when it was derived. @throws UsageError where one is not named */
export async function openSources(
  files: Files,
  named: readonly NamedFile[],
  sources: readonly PlanSource[],
): Promise<WithDisks> {
  const missing = sources.find((s) => !named.some((n) => n.name === s.disk));
  if (missing) throw new UsageError(`Name the disk ${missing.name} again, with --with ${missing.disk}=FILE.`);
  const read = named.flatMap((n) => sources.filter((s) => s.disk === n.name).map((s) => ({ ...n, relies: s.relies })));
  return opened(read, ({ path, relies }) =>
    openImage(files, path, { sectorSize: String(relies.sectorSize) }, 'device only'),
  );
}

interface Opened {
  readonly device: BlockDevice;
  readonly session?: Session;
  readonly packed?: boolean;
  close(): Promise<void>;
}

async function opened<N extends NamedFile>(
  named: readonly N[],
  open: (file: N) => Promise<Opened>,
): Promise<WithDisks> {
  const disks: (Opened & { name: string })[] = [];
  const close = async (): Promise<void> => {
    for (const disk of disks) await disk.close().catch(() => undefined);
  };
  try {
    for (const file of named) disks.push({ ...(await open(file)), name: file.name });
  } catch (error) {
    await close();
    throw error;
  }
  const sessions = new Map(disks.flatMap(({ name, session }) => (session ? [[name, session] as const] : [])));
  const sources = [...sessions].map(([name, { survey }]) => ({ disk: name, name, survey }));
  return {
    sources,
    sessions,
    named: new Map(sources.map(({ disk, name, survey }) => [name, copySourcesOf(survey, disk, name)])),
    packed: new Set(disks.flatMap(({ name, packed }) => (packed ? [name] : []))),
    devices: new Map(disks.map(({ name, device }) => [name, device])),
    close,
  };
}
