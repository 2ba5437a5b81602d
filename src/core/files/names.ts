/**
 * Where entries of a tree come to on another volume. Names that it can't have are changed, names that fall together are
 * told apart, folders that are there are gone into, and nothing is ever put in the place of something else.
 *
 * Names are compared without regard to case, but on kinds that tell it apart.
 */
import type { FileTimes, Holdings } from '@/core/fs';

/** An entry as far as its place goes. */
export interface Placed {
  readonly path: string;
  readonly kind: string;
  readonly stream?: string | undefined;
}

/** What is taken where: the folder, or everything for an empty one, and the path that it gets. */
export interface Places {
  readonly folder: string;
  readonly under: string;
}

/** Where everything comes to. */
export interface Mapped {
  /** New paths by old ones, streams not among them. */
  readonly paths: ReadonlyMap<string, string>;
  /** Folders above all others that have to be made, the topmost first. */
  readonly above: readonly string[];
  /** Folders that are there already, and are gone into. */
  readonly joined: ReadonlySet<string>;
  /** Old paths whose name had to be changed. */
  readonly renamed: readonly string[];
  /** Old paths whose name is too long. */
  readonly tooLong: readonly string[];
}

const FORBIDDEN = /[\u0000-\u001f"*/:<>?\\|]/g;
const MOST_TRIES = 100_000;

/** The path of what an entry is in; empty at the root. */
export const parentOf = (path: string): string => path.slice(0, Math.max(0, path.lastIndexOf('/')));
export const nameIn = (path: string): string => path.slice(path.lastIndexOf('/') + 1);
const joinPath = (parent: string, name: string): string => (parent ? `${parent}/${name}` : name);

/** The times of folders that are made above a tree: those of the folder that is taken, else of what is newest in it. */
export function timesAbove(
  entries: readonly { readonly path: string; readonly times: FileTimes }[],
  folder: string,
): FileTimes {
  const root = folder === '' ? undefined : entries.find((e) => e.path === folder);
  if (root) return root.times;
  const newest = entries.reduce((last, { times: { modified = '' } }) => (modified > last ? modified : last), '');
  return newest ? { modified: newest } : {};
}

/** The name, or one that the kind can have in its place. */
function possible(name: string, holds: Holdings): string {
  if (holds.nameFault(name) !== 'letters') return name;
  const plain = name.replace(FORBIDDEN, '_').replace(/[. ]+$/, (end) => '_'.repeat(end.length));
  return holds.nameFault(plain) === undefined ? plain : `_${plain}`;
}

/** The name with a number before its ending. */
function numbered(name: string, n: number): string {
  const dot = name.lastIndexOf('.');
  const [stem, ending] = dot > 0 ? [name.slice(0, dot), name.slice(dot)] : [name, ''];
  return `${stem} (${n})${ending}`;
}

/**
 * @param entries everything that is taken, each folder before what is in it
 * @param existing what is on the target
 */
export function mapNames(
  entries: readonly Placed[],
  { folder, under }: Places,
  holds: Holdings,
  existing: Iterable<Placed>,
): Mapped {
  const taken = new Taken(existing, holds.caseSensitive ? (path) => path : (path) => path.toUpperCase());
  const joined = new Set<string>();
  const renamed: string[] = [];
  const tooLong: string[] = [];
  const above: string[] = [];
  // Folders on the way there, each as it is called where it stands already.
  let top = '';
  for (const name of (folder === '' ? under : parentOf(under)).split('/').filter(Boolean)) {
    const there = taken.at(joinPath(top, name));
    top = there?.kind === 'folder' ? there.path : taken.add(top, name, 'folder');
    if (there?.kind !== 'folder') above.push(top);
  }
  const paths = new Map<string, string>([[folder, folder === '' || under === '' ? top : under]]);
  for (const { path, kind, stream } of entries) {
    if (stream !== undefined) continue;
    const root = path === folder;
    if (root && under === '') {
      // What is in it comes to the root itself.
      joined.add(path);
      continue;
    }
    const parent = root ? top : paths.get(parentOf(path))!;
    const own = root ? nameIn(under) : nameIn(path);
    if (holds.nameFault(own) === 'length') tooLong.push(path);
    const wanted = possible(own, holds);
    const there = taken.at(joinPath(parent, wanted));
    const joins = kind === 'folder' && there?.kind === 'folder';
    const to = joins ? there.path : taken.add(parent, wanted, kind);
    if (joins) joined.add(path);
    else if (nameIn(to) !== own) renamed.push(path);
    paths.set(path, to);
  }
  return { paths, above, joined, renamed, tooLong };
}

/** Whether folders come to the same places again once they stand there, so that a tree can come in parts. */
export function comesBackTo(entries: readonly Placed[], places: Places, holds: Holdings): boolean {
  const { paths } = mapNames(entries, places, holds, []);
  const own = entries.filter((e) => e.stream === undefined);
  const there = own.flatMap(({ path, kind }) => (paths.has(path) ? [{ path: paths.get(path)!, kind }] : []));
  const again = mapNames(entries, places, holds, there).paths;
  return own.every(({ path, kind }) => kind !== 'folder' || again.get(path) === paths.get(path));
}

/** What is at which path, whatever the case. */
class Taken {
  readonly #known = new Map<string, { readonly path: string; readonly kind: string }>();

  constructor(
    existing: Iterable<Placed>,
    private readonly fold: (path: string) => string,
  ) {
    for (const { path, kind, stream } of existing)
      if (stream === undefined) this.#known.set(fold(path), { path, kind });
  }

  at(path: string): { readonly path: string; readonly kind: string } | undefined {
    return this.#known.get(this.fold(path));
  }

  /** Takes a path for a name, with a number where something else has it. */
  add(parent: string, name: string, kind: string): string {
    for (let n = 1; n < MOST_TRIES; n++) {
      const path = joinPath(parent, n === 1 ? name : numbered(name, n));
      if (this.at(path)) continue;
      this.#known.set(this.fold(path), { path, kind });
      return path;
    }
    throw new RangeError(`no name is left for ${name}`);
  }
}
