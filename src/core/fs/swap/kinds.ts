/** What forms and tables need to know of swap areas. */
import { CoreError } from '@/core/errors';
import { MIB, TIB } from '@/core/size';
import { EVERYTHING, type KindFacts, type KindsOfDriver } from '../kind-facts';
import { PAGE_SIZES } from './header';

export const SWAP_TITLE = 'swap';
const TYPE_CODE = 0x82;
const LABEL_BYTES = 16;
export const PAGE = PAGE_SIZES[0];
export const LEAST = 1 * MIB;
/** Pages are counted in 32 bits. */
const MOST = 16 * TIB;

export function normaliseSwapLabel(label: string): string {
  if (new TextEncoder().encode(label).length > LABEL_BYTES)
    throw new CoreError('fs.label', { label, reason: `the label of a swap area has at most ${LABEL_BYTES} bytes` });
  return label;
}

export const SWAP_KIND: KindFacts = {
  kind: 'swap',
  title: SWAP_TITLE,
  minBytes: LEAST,
  maxBytes: MOST,
  maxFileBytes: 0,
  maxLabelLength: LABEL_BYTES,
  clusterSizes: (size) => (size >= LEAST && size <= MOST ? [PAGE] : []),
  defaultClusterSize: (size) => (size >= LEAST && size <= MOST ? PAGE : undefined),
  mbrType: () => TYPE_CODE,
  normaliseLabel: normaliseSwapLabel,
  unlettered: true,
  choices: [{ id: 'uuid', title: 'UUID', kind: 'uuid' }],
  holds: {
    keeps: [],
    attributes: [],
    nameFault: () => 'letters',
    storedTimes: (times) => times,
    entryBytes: () => 0,
    structures: () => PAGE,
  },
};

/** There are no files on one. */
export const SWAP: KindsOfDriver = {
  kinds: [SWAP_KIND],
  abilities: { ...EVERYTHING, write: false, mark: false, retire: false },
};
