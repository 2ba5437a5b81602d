export { fillPattern, isCompared, newKey, PATTERN_CHUNK, PATTERNS } from './pattern';
export type { Pattern } from './pattern';
export { pieceFor, scan } from './scan';
export type { ScanEvent, Stretch } from './scan';
export { measureSpeed } from './speed';
export type { Measured, SpeedResult } from './speed';
