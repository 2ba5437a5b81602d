/** The table against its bitmap and its mirror, and each file's own figures against what it holds. */
import { BAD, badStream } from './bad-clusters';
import { sameBytes } from '@/core/bytes';
import type { Finding } from '@/core/errors';
import { readAcross } from './across';
import { isSet, setBits } from '../bitmap';
import type { CheckInput, FilePass } from './check';
import type { NtfsFile } from './file';
import { TYPE, ATTRIBUTE_FLAG } from './record';
import { clustersOf } from './runlist';

const MFT = 0;
const MIRROR = 1;
const FIRST_USER_RECORD = 24;
const MAX_MIRRORED = 16;
const MAX_FINDINGS = 100;

/** @throws CoreError `device.read-failed` */
export async function recordPasses(input: CheckInput): Promise<FilePass[]> {
  const alone: FilePass = {
    take: () => undefined,
    findings: async () => [...(await mirrorFindings(input)), ...badClusterFindings(input)],
  };
  return [await bitmapPass(input), alone, figuresPass(input)];
}

/** A record in use that its bitmap has as free would be given to the next file. */
async function bitmapPass({ device, geometry: g, mft }: CheckInput): Promise<FilePass> {
  const stream = mft.files.get(MFT)?.streams.find((s) => s.type === TYPE.bitmap);
  if (!stream) {
    const missing = error('ntfs.mft-bitmap', 'The bitmap of the master file table is missing.');
    return { take: () => undefined, findings: () => [missing] };
  }
  const bits =
    stream.value ?? (await readAcross(device, stream.runs, g.clusterSize, 0, Math.min(stream.size, 1 << 28)));
  let unmarked = 0;
  const inUse = new Uint8Array(Math.ceil(mft.records / 8));
  const use = (number: number): void => {
    if (number < mft.records) setBits(inUse, number, number + 1, true);
    if (number >= bits.length * 8 || !isSet(bits, number)) unmarked += 1;
  };
  const take = ({ number, extensions }: NtfsFile): void => {
    use(number);
    for (const extension of extensions) use(extension);
  };
  return { take, findings: () => tableFindings(mft.records, bits, inUse, unmarked) };
}

function tableFindings(records: number, bits: Uint8Array, inUse: Uint8Array, unmarked: number): Finding[] {
  let unused = 0;
  for (let n = FIRST_USER_RECORD; n < Math.min(records, bits.length * 8); n++)
    if (isSet(bits, n) && !isSet(inUse, n)) unused += 1;
  const out: Finding[] = [];
  if (unmarked > 0)
    out.push(error('ntfs.mft-bitmap', `${unmarked} records are in use and marked free in the table’s bitmap.`));
  if (unused > 0)
    out.push(warning('ntfs.mft-unused', `${unused} records are marked in use in the table’s bitmap and hold nothing.`));
  return out;
}

async function mirrorFindings({ device, geometry: g, mft }: CheckInput): Promise<Finding[]> {
  const stream = mft.files.get(MIRROR)?.streams.find((s) => s.type === TYPE.data && s.name === '');
  if (!stream || stream.resident) return [error('ntfs.mirror', 'The mirror of the master file table is missing.')];
  const length = Math.min(stream.size, MAX_MIRRORED * g.recordSize);
  if (stream.runs[0]?.lcn !== g.mirrorLcn)
    return [error('ntfs.mirror', 'The mirror of the master file table is not where the boot sector says.')];
  const [own, mirror] = [
    await readAcross(device, mft.tableRuns, g.clusterSize, 0, length),
    await readAcross(device, stream.runs, g.clusterSize, 0, length),
  ];
  for (let n = 0; (n + 1) * g.recordSize <= length; n++) {
    const [from, to] = [n * g.recordSize, (n + 1) * g.recordSize];
    if (!sameBytes(own.subarray(from, to), mirror.subarray(from, to)))
      return [warning('ntfs.mirror', `Record ${n} differs from its mirror.`)];
  }
  return [];
}

/** The stream of bad clusters is as long as the volume. */
function badClusterFindings({ geometry: g, mft }: CheckInput): Finding[] {
  const stream = badStream(mft);
  if (!stream) return [error('ntfs.bad-clusters', 'The list of bad clusters is missing.')];
  const length = clustersOf(stream.runs);
  const known = stream.runs.filter((r) => r.lcn >= 0);
  const out: Finding[] = [];
  if (length !== g.clusterCount)
    out.push(warning('ntfs.bad-clusters', `The list of bad clusters is for ${length} clusters of ${g.clusterCount}.`));
  if (known.length > 0)
    out.push({ severity: 'info', code: 'ntfs.bad-cluster', message: `${clustersOf(known)} clusters are marked bad.` });
  return out;
}

function figuresPass({ geometry: g }: CheckInput): FilePass {
  const out: Finding[] = [];
  const take = (file: NtfsFile): void => {
    if (out.length >= MAX_FINDINGS) return;
    const names = file.nameCount + file.shortNames.length;
    if (file.number >= FIRST_USER_RECORD && names > 0 && file.links !== names && file.links !== file.nameCount)
      out.push(warning('ntfs.links', `Record ${file.number} counts ${file.links} names and has ${names}.`));
    for (const stream of file.streams) {
      if (stream.resident) continue;
      const held = clustersOf(stream.runs) * g.clusterSize;
      const whole = (stream.flags & (ATTRIBUTE_FLAG.sparse | ATTRIBUTE_FLAG.compressed)) === 0;
      const wrong =
        stream.initialised > stream.size || (whole && stream.allocated !== held) || stream.allocated < stream.size;
      if (wrong && file.number !== BAD)
        out.push(
          warning(
            'ntfs.sizes',
            `A stream of record ${file.number} has ${stream.size} bytes of ${stream.allocated} that don’t agree with its ${held} bytes of clusters.`,
          ),
        );
    }
  };
  return { take, findings: () => out };
}

const error = (code: string, message: string): Finding => ({ severity: 'error', code, message });
const warning = (code: string, message: string): Finding => ({ severity: 'warning', code, message });
