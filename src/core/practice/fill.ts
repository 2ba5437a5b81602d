/** Filling a practice volume with made-up files. */
import type { NewFileFacts, VolumeWriter } from '@/core/fs';
import { readSize } from '@/core/size';
import { seededRandom, seedOf } from './random';
import type { RecipeFill } from './recipe';

type FileFill = Extract<RecipeFill, { file: string }>;
type TreeFill = Extract<RecipeFill, { folder: string }>;

const WORDS = [
  'alder',
  'bracken',
  'clover',
  'dogwood',
  'elder',
  'foxglove',
  'gorse',
  'hazel',
  'iris',
  'juniper',
  'knapweed',
  'larch',
  'mallow',
  'nettle',
  'oxlip',
  'privet',
  'rowan',
  'sedge',
  'tansy',
  'yarrow',
];
const DEFAULT_FROM = '2023-03-01';
const DEFAULT_TO = '2026-10-31';
const FRAGMENT_EVERY = 4;

/** Writes everything a recipe wants on a volume. `seed` makes content and order repeatable. */
export async function fillVolume(writer: VolumeWriter, fills: readonly RecipeFill[], seed: number): Promise<void> {
  const folders = new Set<string>(['']);
  for (const [index, fill] of fills.entries()) {
    if ('file' in fill) await writeOne(writer, folders, fill, seed + index);
    else await writeTree(writer, folders, fill, seed + index);
  }
}

type Owner = NonNullable<NewFileFacts['owner']>;
const FILE_MODE = '0644';

/** Whose a fill's files are; nobody's in particular where it does not say. */
function ownerOf({ mode, user, group }: RecipeFill): Owner | undefined {
  if (mode === undefined && user === undefined && group === undefined) return undefined;
  return { mode: Number.parseInt(mode ?? FILE_MODE, 8), user: user ?? 0, group: group ?? 0 };
}

/** Folders can be gone into by whoever may read what is in them. */
async function ensureFolder(
  writer: VolumeWriter,
  folders: Set<string>,
  path: string,
  modified: string,
  owned: Owner | undefined,
): Promise<void> {
  if (folders.has(path)) return;
  const cut = path.lastIndexOf('/');
  await ensureFolder(writer, folders, cut < 0 ? '' : path.slice(0, cut), modified, owned);
  folders.add(path);
  const owner = owned && { ...owned, mode: owned.mode | ((owned.mode & 0o444) >> 2) };
  await writer.mkdir(path, { times: { created: modified, modified }, ...(owner ? { owner } : {}) });
}

async function writeOne(writer: VolumeWriter, folders: Set<string>, fill: FileFill, seed: number): Promise<void> {
  const modified = fill.modified ?? `${DEFAULT_FROM}T08:00:00`;
  const cut = fill.file.lastIndexOf('/');
  const owner = ownerOf(fill);
  await ensureFolder(writer, folders, cut < 0 ? '' : fill.file.slice(0, cut), modified, owner);
  const content =
    fill.text === undefined
      ? { kind: 'procedural' as const, seed: seedOf(`${seed}/${fill.file}`), size: bytesOf(fill.size ?? '0 B') }
      : { kind: 'bytes' as const, bytes: new TextEncoder().encode(fill.text) };
  const path = fill.link === undefined ? undefined : new TextEncoder().encode(fill.link);
  const more = { ...(path ? { path } : {}), ...(owner ? { owner } : {}) };
  await writer.writeFile(fill.file, content, {
    ...facts(modified, fill.near, fill.fragments, fill.attributes),
    ...more,
  });
}

async function writeTree(writer: VolumeWriter, folders: Set<string>, fill: TreeFill, seed: number): Promise<void> {
  const random = seededRandom(seedOf(`${seed}/${fill.folder}/${fill.name}`));
  const [low, high] = [bytesOf(fill.smallest), bytesOf(fill.largest)];
  const [from, to] = [Date.parse(fill.from ?? DEFAULT_FROM), Date.parse(fill.to ?? DEFAULT_TO)];
  const owner = ownerOf(fill);
  for (let i = 0; i < fill.count; i++) {
    const modified = new Date(from + random() * (to - from)).toISOString().slice(0, 19);
    const sub = fill.subfolders?.[i % fill.subfolders.length];
    const folder = [fill.folder, sub].filter(Boolean).join('/');
    await ensureFolder(writer, folders, folder, modified, owner);
    const name = nameOf(fill.name, i + 1, random);
    // Squaring leans towards the small end, as real folders do.
    const size = Math.floor(low + random() ** 2 * (high - low));
    const near = i === 0 ? fill.near : undefined;
    const fragments = i % FRAGMENT_EVERY === 0 ? fill.fragments : undefined;
    const content = { kind: 'procedural' as const, seed: seedOf(`${seed}/${folder}/${name}`), size };
    const own = { ...facts(modified, near, fragments, undefined), ...(owner ? { owner } : {}) };
    await writer.writeFile(folder ? `${folder}/${name}` : name, content, own);
  }
}

function nameOf(pattern: string, n: number, random: () => number): string {
  return pattern
    .replace(/\{word\}/g, () => WORDS[Math.floor(random() * WORDS.length)]!)
    .replace(/\{(n+)\}/g, (_, digits: string) => String(n).padStart(digits.length, '0'));
}

function facts(
  modified: string,
  near: number | undefined,
  fragments: number | undefined,
  attributes: string[] | undefined,
): NewFileFacts {
  const placement = { ...(near === undefined ? {} : { near }), ...(fragments === undefined ? {} : { fragments }) };
  return { times: { created: modified, modified }, placement, ...(attributes ? { attributes } : {}) };
}

const bytesOf = (text: string): number => readSize(text, { whole: 0 }, { defaultUnit: 'B' }).bytes;
