/** Two manifests against each other. */
import type { ManifestEntry } from './manifest';

/** What differs between two manifests of the same volume. */
interface Difference {
  readonly path: string;
  readonly what: 'missing' | 'added' | 'content' | 'size' | 'times' | 'attributes' | 'kind' | 'owner';
}

/** The outcome of a comparison. Plain data. */
export interface Comparison {
  readonly files: number;
  readonly folders: number;
  readonly bytes: number;
  readonly identical: number;
  readonly bySource: number;
  /** Bounded; `differing` has the whole count. */
  readonly differences: readonly Difference[];
  readonly differing: number;
}

const MAX_LISTED = 500;

/** Compares by path. Two entries of one path are told apart by their order. */
export function compareManifests(before: readonly ManifestEntry[], after: readonly ManifestEntry[]): Comparison {
  const later = byPath(after);
  const differences: Difference[] = [];
  const sum = { files: 0, folders: 0, bytes: 0, identical: 0, bySource: 0 };
  for (const [path, old] of byPath(before)) {
    const now = later.get(path);
    later.delete(path);
    if (old.kind === 'folder') sum.folders += 1;
    else sum.files += 1;
    sum.bytes += old.size;
    const what = now ? difference(old, now) : 'missing';
    if (what) differences.push({ path: old.path, what });
    else sum.identical += 1;
    if (!what && old.method === 'source') sum.bySource += 1;
  }
  for (const entry of later.values()) differences.push({ path: entry.path, what: 'added' });
  return { ...sum, differences: differences.slice(0, MAX_LISTED), differing: differences.length };
}

function byPath(entries: readonly ManifestEntry[]): Map<string, ManifestEntry> {
  const out = new Map<string, ManifestEntry>();
  for (const entry of entries) {
    let key = entry.path;
    for (let n = 2; out.has(key); n++) key = `${entry.path}\0${n}`;
    out.set(key, entry);
  }
  return out;
}

function difference(a: ManifestEntry, b: ManifestEntry): Difference['what'] | undefined {
  if (a.kind !== b.kind) return 'kind';
  if (a.size !== b.size) return 'size';
  if (a.sha256 !== b.sha256 || a.method !== b.method) return 'content';
  if (
    a.times.created !== b.times.created ||
    a.times.modified !== b.times.modified ||
    a.times.accessed !== b.times.accessed
  )
    return 'times';
  if (a.beside !== b.beside) return 'owner';
  return a.attributes.join() === b.attributes.join() ? undefined : 'attributes';
}
