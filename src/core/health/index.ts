export { fillPattern, isCompared, newKey, PATTERN_CHUNK, PATTERNS } from './pattern';
export type { Pattern } from './pattern';
export { beginScan, isWhole, partOf, PARTS, scanRecordSchema, sectorsIn, stretchOf, withBatch } from './record';
export type { ScanBatch, ScanHit, ScanRecord } from './record';
export { pieceFor, scan } from './scan';
export type { Stretch } from './scan';
export { measureSpeed, speedResultSchema } from './speed';
export type { Measured, SpeedResult } from './speed';
