/** What type codes and type GUIDs say of a volume, and which to give to a new one. */
import type { VolumeFlag } from './gpt-format';

const TYPE_GUID = {
  efiSystem: 'C12A7328-F81F-11D2-BA4B-00A0C93EC93B',
  reserved: 'E3C9E316-0B5C-4DB8-817D-F92DF00215AE',
  basicData: 'EBD0A0A2-B9E5-4433-87C0-68B6B72699C7',
  recovery: 'DE94BBA4-06D1-4D40-A16A-BFD50179D6AC',
  linuxData: '0FC63DAF-8483-4772-8E79-3D69D8477DE4',
  linuxSwap: '0657FD6D-A4AB-43C4-84E5-0933C84B4F4F',
} as const;

export const TYPE_CODE = {
  efiSystem: 0xef,
  recovery: 0x27,
  linuxSwap: 0x82,
  linuxData: 0x83,
} as const;

type TypeRole = 'system' | 'data' | 'firmware' | 'recovery' | 'foreign' | 'swap';

/** Type codes of volumes that a system hides by adding 0x10 to the code. */
const HIDEABLE = new Set([0x01, 0x04, 0x06, 0x07, 0x0b, 0x0c, 0x0e]);
const HIDDEN_BIT = 0x10;
const RECOVERY_CODES = new Set<number>([TYPE_CODE.recovery, 0x12]);

/** The role that a type alone says, or undefined when it says nothing. */
export function roleOfType(type: { readonly code?: number; readonly guid?: string }): TypeRole | undefined {
  if (type.guid === TYPE_GUID.efiSystem || type.guid === TYPE_GUID.reserved) return 'firmware';
  if (type.guid === TYPE_GUID.recovery) return 'recovery';
  if (type.guid === TYPE_GUID.linuxSwap) return 'swap';
  if (type.code === TYPE_CODE.efiSystem) return 'firmware';
  if (type.code === TYPE_CODE.linuxSwap) return 'swap';
  return type.code !== undefined && RECOVERY_CODES.has(type.code) ? 'recovery' : undefined;
}

/** The type GUID for a role, and the flags that go with it. */
export function typeGuidFor(role: TypeRole, fileSystem: string): string {
  if (role === 'firmware') return TYPE_GUID.efiSystem;
  if (role === 'recovery') return TYPE_GUID.recovery;
  if (role === 'swap' || fileSystem === 'swap') return TYPE_GUID.linuxSwap;
  return /^ext/.test(fileSystem) ? TYPE_GUID.linuxData : TYPE_GUID.basicData;
}

/** Flags that a volume of a role has from the start. */
export function flagsFor(role: TypeRole): readonly VolumeFlag[] {
  return role === 'recovery' ? ['required', 'no-letter'] : [];
}

/** The type code for a role; `usual` is that of the file system. */
export function typeCodeFor(role: TypeRole, usual: number): number {
  if (role === 'firmware') return TYPE_CODE.efiSystem;
  if (role === 'recovery') return TYPE_CODE.recovery;
  return role === 'swap' ? TYPE_CODE.linuxSwap : usual;
}

/** Whether a code is that of a hidden volume. */
export function isHiddenCode(code: number): boolean {
  return (code & HIDDEN_BIT) !== 0 && HIDEABLE.has(code & ~HIDDEN_BIT);
}

/** The code with the mark of a hidden volume set or taken, or undefined when the code has none. */
export function hiddenCode(code: number, hidden: boolean): number | undefined {
  const plain = isHiddenCode(code) ? code & ~HIDDEN_BIT : code;
  if (!HIDEABLE.has(plain)) return undefined;
  return hidden ? plain | HIDDEN_BIT : plain;
}
