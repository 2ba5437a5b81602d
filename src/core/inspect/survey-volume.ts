/** Looking at one volume of a disk: what it is, what it holds, and what can be read of it where it is damaged. */
import { PatchedDevice, SalvageDevice, WindowDevice, type BlockDevice } from '@/core/device';
import { CoreError, isCoreError, type ErrorData, type Finding } from '@/core/errors';
import {
  abilitiesOf,
  kindFacts,
  mendsIn,
  namedFault,
  NO_ABILITIES,
  probeFileSystem,
  recogniseForeign,
  type Abilities,
  type ByteRange,
  type FileSystemDriver,
  type Mend,
  type Recognised,
  type SizeLimits,
  type Volume,
  type VolumeInfo,
} from '@/core/fs';
import type { Role } from '@/core/layout';
import { formatSize } from '@/core/size';
import { roleOfType, type VolumeFlag } from '@/core/table';

/** A volume as it is now. Plain data; offsets and lengths are bytes. */
export interface SurveyedVolume {
  /** 1 for the first on the disk. */
  readonly number: number;
  readonly start: number;
  readonly length: number;
  /** Its place in the table, for an entry of its own: not for a logical volume, and not where there is no table. */
  readonly slot: number | undefined;
  /** In the chain of an extended partition. */
  readonly logical: boolean;
  readonly active: boolean;
  /** The MBR type code, or 0. */
  readonly type: number;
  /** On a GUID table: its type, its own GUID, and its name there. */
  readonly typeGuid: string | undefined;
  readonly guid: string | undefined;
  readonly name: string | undefined;
  readonly flags: readonly VolumeFlag[];
  readonly role: Role;
  readonly info: VolumeInfo | undefined;
  readonly limits: SizeLimits | undefined;
  readonly abilities: Abilities;
  /** Ranges in use from the volume's start; the whole volume when its content is not known. */
  readonly allocation: readonly ByteRange[];
  /** Of one that places can be taken out of use of: stretches where that takes nothing off. */
  readonly immovable?: readonly ByteRange[];
  readonly files: number;
  readonly findings: readonly Finding[];
  /** What it is, of one that is not open: damaged, or of a kind that no driver has. */
  readonly recognised: Recognised | undefined;
  /** Why it could not be opened, if it was recognised but could not. */
  readonly fault: ErrorData | undefined;
  /** What can be read of one with a fault, and what would mend it. */
  readonly seen: SeenVolume | undefined;
  /** Of one that no entry of the table names: how many of its files can be read to their end. */
  readonly lost?: { readonly whole: number };
}

/** What is mended, from what, and what stays unsure. Plain data. */
export type MendNote = Pick<Mend, 'what' | 'from' | 'unsure'>;

/** A volume as it is once it is mended; with nothing to mend where it only reaches past its place. */
interface SeenVolume {
  readonly volume: SurveyedVolume;
  readonly mends: readonly MendNote[];
}

/** A volume that is open, with the window it lies in. */
export interface OpenVolume {
  readonly volume: Volume;
  readonly window: BlockDevice;
}

/** Told of every volume that is opened, so that it need not be opened again. */
export type OnOpened = (number: number, open: OpenVolume) => void;

/** What only a system's own volume, or its rescue volume, has at the top. */
const SYSTEM_FOLDER = /^(windows\/system32(\/|$)|etc\/(fstab|os-release|inittab)$)/i;
const RECOVERY_FOLDER = /^recovery\/windowsre(\/|$)/i;

/** What a table says of a volume, of one that stands in none. */
export const BARE_PLACE = {
  slot: undefined,
  logical: false,
  active: false,
  type: 0,
  typeGuid: undefined,
  guid: undefined,
  name: undefined,
  flags: [],
} as const;

/** Where a volume is, and what the table says of it. */
export type VolumePlace = Pick<
  SurveyedVolume,
  'number' | 'start' | 'length' | 'slot' | 'logical' | 'active' | 'type' | 'typeGuid' | 'guid' | 'name' | 'flags'
>;

/** A volume before anything is known of what it holds. */
export const unopenedAt = (place: VolumePlace): SurveyedVolume => ({
  ...place,
  role: roleOf(place, undefined, undefined),
  info: undefined,
  limits: undefined,
  abilities: NO_ABILITIES,
  allocation: [{ start: 0, end: place.length }],
  files: 0,
  findings: [],
  recognised: undefined,
  fault: undefined,
  seen: undefined,
});

export async function surveyVolume(device: BlockDevice, place: VolumePlace, opened: OnOpened): Promise<SurveyedVolume> {
  const unopened = unopenedAt(place);
  if (place.start + place.length > device.size || place.length === 0) return unopened;
  const window = new WindowDevice(device, place.start, place.length);
  let recognised: Recognised | undefined;
  try {
    const probed = await probeFileSystem(window);
    if (!probed) return await surveyUnknown(window, unopened, opened);
    recognised = recognisedAs(probed.kind);
    return await surveyOpened(window, probed.driver, unopened, opened);
  } catch (error) {
    // What can't be read of a disk that fails is a fault of its volume alone.
    if (!isCoreError(error, 'fs.damaged') && !isCoreError(error, 'device.read-failed')) throw error;
    const seen = isCoreError(error, 'fs.damaged')
      ? await seenThrough(window, unopened, opened, await mendsIn(window))
      : undefined;
    return faulty(unopened, error, recognised, seen);
  }
}

const recognisedAs = (kind: string): Recognised => ({ kind, title: kindFacts(kind).title });

function faulty(
  base: SurveyedVolume,
  error: CoreError,
  recognised: Recognised | undefined,
  seen: SeenVolume | undefined,
): SurveyedVolume {
  const finding: Finding = { severity: 'error', code: error.code, message: error.message };
  const info = seen?.volume.info;
  const known = info ? recognisedAs(info.kind) : recognised;
  return {
    ...base,
    role: seen?.volume.role ?? base.role,
    files: seen?.volume.files ?? 0,
    recognised: known,
    fault: error.toData(),
    findings: [finding],
    seen,
  };
}

/** What begins like nothing that is known may be a volume whose beginning is damaged. */
async function surveyUnknown(window: WindowDevice, base: SurveyedVolume, opened: OnOpened): Promise<SurveyedVolume> {
  const recognised = await recogniseForeign(window);
  if (recognised) return { ...base, recognised };
  const found = await mendsIn(window);
  const seen = await seenThrough(window, base, opened, found);
  if (!seen) {
    const kind = found && (await probeFileSystem(new PatchedDevice(window, found.mends)))?.kind;
    const named = kind === undefined ? await namedFault(window) : undefined;
    if (named) return faulty(base, named.error, recognisedAs(named.kind), undefined);
    if (kind === undefined) return base;
    const told = { fileSystem: kindFacts(kind).title, reason: 'only a copy of its beginning is left', offset: 0 };
    return faulty(base, new CoreError('fs.damaged', told), recognisedAs(kind), undefined);
  }
  const reason = `${seen.mends.map((m) => m.what).join(' and ')} can’t be read`;
  const fileSystem = seen.volume.info!.title;
  return faulty(base, new CoreError('fs.damaged', { fileSystem, reason, offset: 0 }), undefined, seen);
}

/**
 * What can be read of a volume that does not open: with what is damaged in it mended from its copies, or past its place,
 * where it says that it is longer than that.
 */
async function seenThrough(
  window: WindowDevice,
  base: SurveyedVolume,
  opened: OnOpened,
  found: Awaited<ReturnType<typeof mendsIn>>,
): Promise<SeenVolume | undefined> {
  try {
    if (found) {
      const volume = await surveyOpened(new PatchedDevice(window, found.mends), found.driver, base, opened);
      return { volume, mends: found.mends.map(noteOf) };
    }
    const probed = await probeFileSystem(window);
    const claimed = await probed?.driver.claims(window);
    if (!probed || claimed === undefined || claimed <= window.size) return undefined;
    const longer = new PatchedDevice(window, [], claimed);
    // What lies past its place is missing: looked over as if it were zeros, and never given as a file's content.
    const salvaged = new SalvageDevice(longer, () => undefined);
    const volume = await surveyOpened(salvaged, probed.driver, base, () => undefined);
    opened(base.number, { volume: await probed.driver.open(longer), window: longer });
    const message = `It says that it has ${formatSize(claimed)}, and its place in the table has ${formatSize(window.size)}.`;
    const finding: Finding = { severity: 'error', code: 'fs.longer', message };
    return { volume: { ...volume, findings: [finding] }, mends: [] };
  } catch (error) {
    if (!isCoreError(error, 'fs.damaged') && !isCoreError(error, 'device.read-failed')) throw error;
    return undefined;
  }
}

export const noteOf = ({ what, from, unsure }: Mend): MendNote => ({ what, from, ...(unsure ? { unsure } : {}) });

/** A volume that opens. */
export async function surveyOpened(
  window: BlockDevice,
  driver: FileSystemDriver,
  base: SurveyedVolume,
  opened: OnOpened,
): Promise<SurveyedVolume> {
  const volume = await driver.open(window);
  opened(base.number, { volume, window });
  let files = 0;
  let content: Role | undefined;
  for await (const entry of volume.walk()) {
    if (entry.kind === 'file') files += 1;
    if (SYSTEM_FOLDER.test(entry.path)) content = 'system';
    else if (content === undefined && RECOVERY_FOLDER.test(entry.path)) content = 'recovery';
  }
  const abilities = abilitiesOf(volume.info.kind);
  return {
    ...base,
    role: roleOf(base, volume.info, content),
    info: volume.info,
    limits: await volume.limits(),
    abilities,
    allocation: await volume.allocation(),
    ...(abilities.retire ? { immovable: await volume.immovable() } : {}),
    files,
    findings: await volume.check(),
  };
}

/** From the type first, which is meant; then from what is on it. */
function roleOf(place: VolumePlace, info: VolumeInfo | undefined, content: Role | undefined): Role {
  const told = roleOfType({ code: place.type, ...(place.typeGuid ? { guid: place.typeGuid } : {}) });
  if (told) return told;
  if (info?.kind === 'swap') return 'swap';
  if (!info) return 'foreign';
  return content ?? (place.active ? 'system' : 'data');
}
