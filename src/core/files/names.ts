/**
 * Where entries of a tree come to on another volume. Names that it can't have are changed, names that fall together are
 * told apart, folders that are there are gone into, and nothing is ever put in the place of something else.
 *
 * Names are compared without regard to case, as every kind that is known here does.
 */
import type { Holdings } from '@/core/fs';

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

const fold = (path: string): string => path.toUpperCase();
const parentOf = (path: string): string => path.slice(0, Math.max(0, path.lastIndexOf('/')));
export const nameIn = (path: string): string => path.slice(path.lastIndexOf('/') + 1);
const joinPath = (parent: string, name: string): string => (parent ? `${parent}/${name}` : name);

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
  const taken = new Map<string, string>();
  for (const { path, kind, stream } of existing) if (stream === undefined) taken.set(fold(path), kind);
  const paths = new Map<string, string>([[folder, under]]);
  const joined = new Set<string>();
  const renamed: string[] = [];
  const tooLong: string[] = [];
  const above = foldersAbove(folder === '' ? under : parentOf(under), taken);
  for (const path of above) taken.set(fold(path), 'folder');
  for (const { path, kind, stream } of entries) {
    if (stream !== undefined) continue;
    const root = path === folder;
    const parent = root ? parentOf(under) : paths.get(parentOf(path))!;
    const own = root ? nameIn(under) : nameIn(path);
    if (holds.nameFault(own) === 'length') tooLong.push(path);
    const wanted = possible(own, holds);
    const there = taken.get(fold(joinPath(parent, wanted)));
    const joins = kind === 'folder' && there === 'folder';
    const name = there === undefined || joins ? wanted : freeName(parent, wanted, taken);
    const to = joinPath(parent, name);
    if (joins) joined.add(path);
    else taken.set(fold(to), kind);
    if (name !== own) renamed.push(path);
    paths.set(path, to);
  }
  return { paths, above, joined, renamed, tooLong };
}

function freeName(parent: string, name: string, taken: ReadonlyMap<string, string>): string {
  for (let n = 2; n < MOST_TRIES; n++) {
    const next = numbered(name, n);
    if (!taken.has(fold(joinPath(parent, next)))) return next;
  }
  throw new RangeError(`no name is left for ${name}`);
}

/** The folders of a path that are not there yet. */
function foldersAbove(path: string, taken: ReadonlyMap<string, string>): string[] {
  const out: string[] = [];
  for (let at = path; at !== '' && taken.get(fold(at)) !== 'folder'; at = parentOf(at)) out.unshift(at);
  return out;
}
