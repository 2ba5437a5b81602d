export { formatBytes, formatMib, formatSize, GIB, KIB, MIB, sizeFaces, spaced, TIB, typedSize } from './format';
export type { UnitSystem } from './format';
export { parseSize } from './grammar';
export type { SizeSyntax } from './grammar';
export { ceilTo, floorTo, isExact, readSize, resolveSize, roundTo } from './resolve';
export type { SizeContext } from './resolve';
