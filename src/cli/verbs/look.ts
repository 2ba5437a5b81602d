/** The verbs that only read: inspect, files, check. What only a plan needs is not loaded for them. */
import { hasErrors, isCoreError } from '@/core/errors';
import { kindFacts, type Volume } from '@/core/fs';
import { checkDocument, fileSystemOf, inspectDocument } from '@/core/inspect';
import { takeManifest } from '@/core/proof';
import { createHash } from 'node:crypto';
import { formatSize } from '@/core/size';
import { holding, partMarkOf, systemFiles } from '../files';
import { nodeHasher } from '../node-hasher';
import { openImage, openVolume, type ImageOptions, type OpenImage } from '../open-image';
import { EXIT, note, print } from '../output';
import { namedFiles, wantedOf } from '../with-disks';

export interface LookOptions extends ImageOptions {
  readonly json?: boolean;
  readonly volume?: string;
  readonly target?: string;
  readonly job?: string;
  /** Where the plan is saved as a job. */
  readonly saveJob?: string;
  readonly scratch?: string;
  readonly scan?: string;
  readonly override?: boolean;
  readonly with?: readonly string[];
  readonly mend?: boolean;
}

/** What is shown may be between two states; it is shown all the same, and said. */
async function tellHalfWay(path: string, files: typeof systemFiles): Promise<void> {
  const { assertWhole } = await import('../runs');
  await assertWhole(files, path, path).catch((error: unknown) => {
    if (!isCoreError(error, 'run.holds')) throw error;
    note(error.message);
  });
}

/** Opens an image that nobody writes meanwhile, looks at it, and closes it. */
export async function looking(
  path: string,
  options: LookOptions,
  files: typeof systemFiles,
  act: (image: OpenImage) => Promise<number>,
): Promise<number> {
  const others = await wantedOf(namedFiles(options.with), [], files);
  return holding(files, [{ path, mode: 'read' }, ...others], async () => {
    if (await files.facts(partMarkOf(await files.resolve(path)))) await tellHalfWay(path, files);
    const image = await openImage(files, path, options);
    try {
      return await act(image);
    } finally {
      await image.close();
    }
  });
}

export const inspect = (path: string, options: LookOptions, files = systemFiles): Promise<number> =>
  looking(path, options, files, async (image) => {
    const document = inspectDocument(image.session.survey);
    const { disk } = document;
    const words = [
      `${disk.size.decimal} (${disk.size.binary}), ${disk.sectorSize}-byte sectors, table: ${disk.table}`,
      ...document.volumes.map((v) => {
        const use =
          v.used === null || v.floor === null
            ? (v.fault ?? 'content not known')
            : `${formatSize(v.used)} in use, floor ${formatSize(v.floor.bytes)}`;
        return `${v.number}  at ${formatSize(v.start)}  ${v.size.binary}  ${v.fileSystem}  ${v.label || '-'}  ${use}`;
      }),
      ...document.unallocated.map((gap) => `   at ${formatSize(gap.start)}  ${gap.size.binary} unallocated`),
      ...document.findings.map((f) => `${f.severity}: ${f.message}`),
    ];
    print(document, words, options.json);
    return hasErrors(document.findings) ? EXIT.no : EXIT.done;
  });

export const files = (path: string, options: LookOptions, from = systemFiles): Promise<number> =>
  looking(path, options, from, async (image) => {
    const { volume, window, number } = await openVolume(image, options.volume ?? '1');
    const entries = [];
    for await (const entry of takeManifest(volume, window, { hasher: nodeHasher, alwaysBytes: true }))
      entries.push(entry);
    const beside = await detailsOf(volume);
    const files = entries.map((e) => ({ ...e, ...beside.get(e.path) }));
    const document = { version: 1, volume: number, files };
    const words = entries.map((e) => `${e.sha256 ?? 'folder'.padEnd(64)}  ${e.size}  ${e.path}`);
    print(document, words, options.json);
    return EXIT.done;
  });

/** What is stored of each entry beside its content, where its kind stores more. */
interface Beside {
  /** The same for all names of one file. */
  readonly file: number;
  readonly changed?: string;
  readonly target?: string;
  readonly job?: string;
  /** Where the plan is saved as a job. */
  readonly saveJob?: string;
  /** Whose it is, and its mode in octal. */
  readonly mode?: string;
  readonly user?: number;
  readonly group?: number;
  /** Extended attributes: SHA-256 of each by its name. */
  readonly extended?: Readonly<Record<string, string>>;
  /** SHA-256 of who may do what with it. */
  readonly rights?: string;
}

const sha256 = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

async function detailsOf(volume: Volume): Promise<Map<string, Beside>> {
  const out = new Map<string, Beside>();
  if (kindFacts(volume.info.kind).holds.keeps.length === 0) return out;
  for await (const entry of volume.walk()) {
    if (entry.stream !== undefined) continue;
    const { changed, target, security, owner, extended } = await volume.details(entry);
    out.set(entry.path, {
      file: entry.id,
      ...(changed === undefined ? {} : { changed }),
      ...(target === undefined ? {} : { target }),
      ...(owner ? { mode: owner.mode.toString(8).padStart(4, '0'), user: owner.user, group: owner.group } : {}),
      ...(extended ? { extended: Object.fromEntries(extended.map((e) => [e.name, sha256(e.value)])) } : {}),
      ...(security ? { rights: sha256(security) } : {}),
    });
  }
  return out;
}

export const check = async (path: string, options: LookOptions, files = systemFiles): Promise<number> =>
  options.mend ? (await import('./plan')).plan(path, options, files) : checkOnly(path, options, files);

const checkOnly = (path: string, options: LookOptions, files: typeof systemFiles): Promise<number> =>
  looking(path, options, files, async (image) => {
    const { survey } = image.session;
    const volumes = survey.volumes
      .filter((v) => options.volume === undefined || v.number === Number(options.volume))
      .map((v) => ({ number: v.number, fileSystem: fileSystemOf(v), findings: v.findings }));
    const document = checkDocument(volumes, survey.findings);
    const lines = volumes.flatMap((v) =>
      v.findings.map((f) => `volume ${v.number}  ${v.fileSystem}  ${f.severity}: ${f.message}`),
    );
    const words = [...survey.findings.map((f) => `table  ${f.severity}: ${f.message}`), ...lines];
    print(document, words.length > 0 ? words : ['Nothing found.'], options.json);
    const told = [survey.findings, ...volumes.map((v) => v.findings)].flat();
    return told.some((f) => f.severity !== 'info') ? EXIT.no : EXIT.done;
  });
