/**
 * What a volume holds that no driver here opens, by signatures that are published: it is named for what it is, kept
 * whole, and may be moved.
 */
import type { BlockDevice } from '@/core/device';

/** A kind that is only recognised. */
export interface Recognised {
  readonly kind: string;
  readonly title: string;
}

interface Signature extends Recognised {
  readonly at: number;
  readonly bytes: readonly number[];
}

const text = (words: string): number[] => Array.from(words, (c) => c.charCodeAt(0));
const sign = (kind: string, title: string, at: number, bytes: readonly number[] | string): Signature => ({
  kind,
  title,
  at,
  bytes: typeof bytes === 'string' ? text(bytes) : bytes,
});

const KIB = 1024;
const ENCRYPTED = 'encrypted volume';
const SIGNATURES: readonly Signature[] = [
  sign('luks', ENCRYPTED, 0, [...text('LUKS'), 0xba, 0xbe]),
  sign('fve', ENCRYPTED, 3, '-FVE-FS-'),
  ...[0, 512, 1024, 1536].map((at) => sign('lvm', 'LVM member', at, 'LABELONE')),
  sign('raid', 'RAID member', 0, [0xfc, 0x4e, 0x2b, 0xa9]),
  sign('raid', 'RAID member', 4 * KIB, [0xfc, 0x4e, 0x2b, 0xa9]),
  sign('xfs', 'XFS', 0, 'XFSB'),
  sign('squashfs', 'SquashFS', 0, 'hsqs'),
  sign('refs', 'ReFS', 3, [0, 0, 0, ...text('ReFS'), 0]),
  sign('apfs', 'APFS', 32, 'NXSB'),
  sign('hfsplus', 'HFS+', 1 * KIB, 'H+'),
  sign('hfsplus', 'HFSX', 1 * KIB, 'HX'),
  sign('hfs', 'HFS', 1 * KIB, 'BD'),
  sign('f2fs', 'F2FS', 1 * KIB, [0x10, 0x20, 0xf5, 0xf2]),
  sign('nilfs2', 'NILFS2', 1 * KIB + 6, [0x34, 0x34]),
  sign('jfs', 'JFS', 32 * KIB, 'JFS1'),
  sign('btrfs', 'Btrfs', 64 * KIB + 64, '_BHRfS_M'),
  sign('reiserfs', 'ReiserFS', 64 * KIB + 52, 'ReIsEr'),
  sign('ufs2', 'UFS2', 64 * KIB + 1372, [0x19, 0x01, 0x54, 0x19]),
  sign('iso9660', 'ISO 9660', 32 * KIB + 1, 'CD001'),
  sign('udf', 'UDF', 32 * KIB + 1, 'BEA01'),
  ...[0, 1, 2, 3].map((n) => sign('zfs', 'ZFS member', 128 * KIB + n * KIB, [0x0c, 0xb1, 0xba, 0, 0, 0, 0, 0])),
];
const HEAD_BYTES = 136 * KIB;

/** What is recognised by its beginning, if anything is. @throws CoreError `device.read-failed` */
export async function recogniseForeign(device: BlockDevice): Promise<Recognised | undefined> {
  const head = await device.bytes(0, Math.min(device.size, HEAD_BYTES));
  const found = SIGNATURES.find(
    ({ at, bytes }) => at + bytes.length <= head.length && bytes.every((b, i) => head[at + i] === b),
  );
  return found && { kind: found.kind, title: found.title };
}
