/** The volumes of disks as CSV (RFC 4180), for a spreadsheet. */
import { fileSystemOf, knownInfo, type Survey } from '@/core/inspect';
import { csvOf } from '@/core/proof';

/** A disk of a list. */
export interface ListedDisk {
  readonly name: string;
  readonly survey: Survey;
  /** Letters and roles, by volume number, where a job has others than the disk tells. */
  readonly known?: ReadonlyMap<number, { readonly letter?: string; readonly role: string }>;
}

const HEADER = ['disk', 'number', 'label', 'fileSystem', 'start', 'size', 'used', 'files', 'role', 'letter'];

/** One row a volume below a header; sizes in bytes. What a spreadsheet would take for a formula is made text. */
export function volumeList(disks: readonly ListedDisk[]): string {
  const rows = disks.flatMap(({ name, survey, known }) =>
    survey.volumes.map((v) => [
      name,
      v.number,
      knownInfo(v)?.label ?? '',
      fileSystemOf(v),
      v.start,
      v.length,
      knownInfo(v)?.used ?? '',
      v.files,
      known?.get(v.number)?.role ?? v.role,
      known?.get(v.number)?.letter ?? '',
    ]),
  );
  return csvOf([HEADER, ...rows]);
}
