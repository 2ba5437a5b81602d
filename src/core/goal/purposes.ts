/** What a volume is for, and which file system suits what will use it and the files it has to hold. */
import { findKind, makeableKinds } from '@/core/fs';
import { formatSize, GIB, TIB } from '@/core/size';

export const PURPOSES = [
  'this-computer',
  'another-system',
  'any-computer',
  'camera',
  'console',
  'television',
  'board',
] as const;
/** What will use a volume. */
export type Purpose = (typeof PURPOSES)[number];

export const PURPOSE_WORDS: Readonly<Record<Purpose, string>> = {
  'this-computer': 'this computer',
  'another-system': 'another system',
  'any-computer': 'any computer',
  camera: 'a camera',
  console: 'a console',
  television: 'a television',
  board: 'a single-board computer',
};

/** What a volume has to hold. Bytes. */
export interface Demands {
  readonly size: number;
  readonly sectorSize: number;
  readonly largestFile?: number;
  readonly longestName?: number;
}

/** One file system for a purpose: what speaks for it, and what against, if anything. */
export interface FileSystemAdvice {
  readonly kind: string;
  readonly title: string;
  readonly why: string;
  readonly against: readonly string[];
}

/** SD cards up to this size are made with FAT32, larger ones with exFAT, by the card standard. */
const SDHC_MOST = 32 * GIB;
const MBR_MOST = 2 * TIB;

type Rank = readonly [kind: string, why: string];

function ranking(purpose: Purpose, { size }: Demands): Rank[] {
  const fat: Rank[] = [
    ['fat32', 'read by nearly everything'],
    ['fat16', 'read by nearly everything, for small volumes'],
    ['fat12', 'read by nearly everything, for the smallest volumes'],
  ];
  const exfat: Rank = ['exfat', 'read and written by every current system, files of any size'];
  const ntfs: Rank = ['ntfs', 'rights, a journal, compression, files of any size'];
  const ext4: Rank = ['ext4', 'owners, modes, links and a journal, for systems of that family'];
  switch (purpose) {
    case 'this-computer':
      return [ntfs, exfat, ...fat];
    case 'another-system':
      return [exfat, ntfs, ext4, ...fat];
    case 'any-computer':
      return [exfat, ...fat, ntfs];
    case 'camera':
      return size <= SDHC_MOST ? [...fat, exfat] : [['exfat', 'what cameras expect of cards over 32 GiB'], ...fat];
    case 'console':
      return [['exfat', 'what current consoles read and write'], ...fat];
    case 'television':
      return size <= MBR_MOST ? [...fat, exfat, ntfs] : [exfat, ntfs];
    case 'board':
      return [['fat32', 'what the firmware of such boards starts from'], ext4, ...fat.slice(1)];
  }
}

/** File systems that suit, the best first; those that can't hold what they have to come last, with the reason. */
export function adviseFileSystem(purpose: Purpose, demands: Demands): FileSystemAdvice[] {
  const known = new Set(makeableKinds().map((k) => k.kind));
  const advice = ranking(purpose, demands).flatMap(([kind, why]): FileSystemAdvice[] => {
    const facts = known.has(kind) ? findKind(kind) : undefined;
    if (!facts || facts.clusterSizes(demands.size, demands.sectorSize).length === 0) return [];
    const against: string[] = [];
    const { largestFile = 0 } = demands;
    if (largestFile > facts.maxFileBytes)
      against.push(
        `a file of ${formatSize(largestFile)} is there, and it holds files up to ${formatSize(facts.maxFileBytes)}`,
      );
    return [{ kind, title: facts.title, why, against }];
  });
  return [...advice.filter((a) => a.against.length === 0), ...advice.filter((a) => a.against.length > 0)];
}
