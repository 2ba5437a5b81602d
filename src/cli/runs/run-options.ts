/** What all runs of the runner share. */
import { isCoreError } from '@/core/errors';
import type { Certificate, Losses } from '@/core/proof';
import { wipeLines } from '@/core/report';
import type { LogLine, RunPorts } from '@/core/run';
import { formatSize, spaced } from '@/core/size';
import { randomUUID } from 'node:crypto';
import { forgetCached, type Files } from '../files';
import { nodeHasher } from '../node-hasher';
import { EXIT, note, print } from '../output';
import { leaveLog } from './papers';

export interface RunOptions {
  readonly json?: boolean;
  readonly sectorSize?: string;
  readonly target?: string;
  readonly job?: string;
  /** Mends what can be mended, instead of a target. */
  readonly mend?: boolean;
  /** A copy of a table that is put back, instead of a target. */
  readonly copy?: string;
  readonly scratch?: string;
  /** What a scan of the disk found. */
  readonly scan?: string;
  /** NAME=FILE of other disks that are copied from. */
  readonly with?: readonly string[];
  readonly out?: string;
  readonly inPlace?: boolean;
  readonly resume?: boolean;
  /** `false` comes from --no-rewind: keep nothing to rewind with. */
  readonly rewind?: boolean | string;
  readonly override?: boolean;
  readonly inside?: string;
  /** How devices of the machine are meant: by their model or serial number, of other disks as NAME=MODEL. */
  readonly iMean?: readonly string[];
  /** A folder for the journal and the way back, where they shall not stand beside the image. */
  readonly journal?: string;
  /** A folder for the certificate, the manifests and the log. */
  readonly papers?: string;
}

/** Where a run is and how it was asked for. */
export interface RunCall {
  readonly files: Files;
  /** The image that was named. */
  readonly image: string;
  /** What its journal and its way back stand beside: the image itself, or a name in a folder that was named for them. */
  readonly beside: string;
  /** Whether the image is a disk of the machine. */
  readonly onDevice: boolean;
  readonly options: RunOptions;
}

/** No two runs are the same. */
export const freshRun = (): string => randomUUID();

/**
 * Carries out `act` with what every run of the runner works with; told to end, it stops at the next safe moment.
 * @param also other disks that it writes too
 */
export async function withPorts(
  call: RunCall,
  ports: Pick<RunPorts, 'disk' | 'original' | 'others' | 'journal'>,
  act: (ports: RunPorts) => Promise<Certificate>,
  also: readonly string[] = [],
): Promise<Certificate> {
  const abort = new AbortController();
  const lines: LogLine[] = [];
  const log = call.options.papers === undefined ? {} : { log: (line: LogLine) => void lines.push(line) };
  const stop = (): void => abort.abort();
  process.once('SIGINT', stop);
  process.once('SIGTERM', stop);
  try {
    const { signal } = abort;
    const now = (): string => new Date().toISOString();
    const forget = async (): Promise<void> => {
      for (const path of [call.image, ...also]) if ((await call.files.facts(path))?.device) await forgetCached(path);
    };
    return await act({ ...ports, hasher: nodeHasher, now, alwaysBytes: true, signal, ...log, forget });
  } finally {
    process.off('SIGINT', stop);
    process.off('SIGTERM', stop);
    await leavePaper('The log of the run', () => leaveLog(call, lines));
  }
}

/** Prints a certificate, and says how to end. */
export function tell(certificate: Certificate, options: RunOptions): number {
  print(certificate, certificateWords(certificate), options.json);
  return certificate.outcome === 'differs' ? EXIT.no : EXIT.done;
}

/** Leaves what a run is not made of: whatever goes wrong with a paper is told, and stops nothing. */
export async function leavePaper(what: string, act: () => Promise<void>): Promise<void> {
  try {
    await act();
  } catch (error) {
    note(`${what} could not all be written: ${error instanceof Error ? error.message : String(error)}`);
  }
}

/** Takes away what only a run needed that is over. Where that can't be, the run is over all the same. */
export async function tidyUp(act: () => Promise<void>): Promise<void> {
  try {
    await act();
  } catch (error) {
    if (!isCoreError(error)) throw error;
    note(`The run is over. What only it needed could not all be taken away: ${error.message}`);
  }
}

/** What came of a run, in a line. */
const OUTCOMES: Readonly<Record<Certificate['outcome'], string>> = {
  proven: 'Proven: everything that was kept is as it was.',
  salvaged: 'Copied as far as it could be read. What was lost is told above; everything else is as it was.',
  'nothing kept': 'Done. Nothing was kept, so there was nothing to prove.',
  differs: 'NOT PROVEN: see the differences.',
};

function lossLines({ listed, files, bytes, elsewhere }: Losses): string[] {
  return [
    `   lost, read as zeros: ${formatSize(bytes)} of ${spaced(files)} file${files === 1 ? '' : 's'}, ${formatSize(elsewhere)} of structures and unused ends`,
    ...listed.map((f) => `   ${f.path}: ${spaced(f.bytes)} bytes`),
  ];
}

function certificateWords({ steps, volumes, outcome, wipes = [] }: Certificate): string[] {
  return [
    ...steps.map((step, i) => `${i + 1}  ${step}`),
    ...volumes.flatMap((v) => [
      `${v.name}: ${spaced(v.files)} files and ${spaced(v.folders)} folders, ${formatSize(v.bytes)}, ${spaced(v.identical)} identical, ${spaced(v.differing)} differ`,
      ...(v.lost ? lossLines(v.lost) : []),
    ]),
    ...wipes.map(wipeLines).flatMap(({ text, detail }) => [text, `   ${detail}`]),
    steps.length === 0 ? 'There was nothing to do.' : OUTCOMES[outcome],
  ];
}
