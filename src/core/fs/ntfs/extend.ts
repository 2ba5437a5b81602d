/**
 * The files in $Extend of a new volume: quotas, object ids and reparse points, each an index that other files are found
 * by. The last two are empty as long as no file has any; quotas begin with what holds for everybody, without limits.
 *
 * Linux-NTFS “NTFS Documentation”, chapters “$Quota”, “$ObjId” and “$Reparse”.
 */
import { struct, u32, u64 } from '@/core/bytes';
import { viewEntry, type NewIndexEntry } from './build-record';
import { SID } from './security';

/** Orders of view keys. */
export const BY_ULONG = 0x10;
const BY_SID = 0x11;
export const BY_ULONGS = 0x13;

const QUOTA = struct('quota entry', 48, {
  version: u32(0),
  flags: u32(4),
  used: u64(8),
  changed: u64(16),
  threshold: u64(24),
  limit: u64(32),
  exceeded: u64(40),
});

const QUOTA_VERSION = 2;
/** The entry says what holds where nothing else is said. */
const DEFAULT_LIMITS = 1;
const NO_LIMIT = 0xffff_ffff_ffff_ffffn;
const DEFAULTS_ID = 1;
const FIRST_OWNER_ID = 0x100;

/** A file of views over the volume. */
export interface ExtendFile {
  readonly number: number;
  readonly name: string;
  readonly views: readonly { readonly name: string; readonly collation: number; readonly entries: NewIndexEntry[] }[];
}

/** @param time what entries say of when they were changed, in the ticks of the volume */
export function extendFiles(time: bigint): readonly ExtendFile[] {
  const id = (value: number): Uint8Array => {
    const out = new Uint8Array(4);
    new DataView(out.buffer).setUint32(0, value, true);
    return out;
  };
  const quota = (sid: Uint8Array): Uint8Array => {
    const out = new Uint8Array(QUOTA.size + sid.length);
    const limits = { threshold: NO_LIMIT, limit: NO_LIMIT };
    QUOTA.encode(
      { version: QUOTA_VERSION, flags: DEFAULT_LIMITS, used: 0n, changed: time, exceeded: 0n, ...limits },
      out,
    );
    out.set(sid, QUOTA.size);
    return out;
  };
  const owner = SID.administrators;
  const quotas = [
    { name: '$O', collation: BY_SID, entries: [viewEntry(owner, id(FIRST_OWNER_ID))] },
    {
      name: '$Q',
      collation: BY_ULONG,
      entries: [viewEntry(id(DEFAULTS_ID), quota(new Uint8Array())), viewEntry(id(FIRST_OWNER_ID), quota(owner))],
    },
  ];
  return [
    { number: 24, name: '$Quota', views: quotas },
    { number: 25, name: '$ObjId', views: [{ name: '$O', collation: BY_ULONGS, entries: [] }] },
    { number: 26, name: '$Reparse', views: [{ name: '$R', collation: BY_ULONGS, entries: [] }] },
  ];
}
