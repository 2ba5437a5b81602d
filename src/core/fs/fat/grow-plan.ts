/**
 * How far the structures of a FAT volume must grow for it to become larger.
 *
 * When the allocation tables are too short for the new count of clusters they grow into the data area: the first
 * `shift` clusters make room and every cluster is renumbered down by `shift`, so that no other data moves.
 */
import { tableCapacity, tableSectors, type FatGeometry } from './boot-sector';

/** The structures of the grown volume; `shift` is 0 when the tables are long enough as they are. */
export interface TableGrowth {
  readonly shift: number;
  readonly reservedSectors: number;
  readonly fatSectors: number;
  readonly dataStart: number;
  readonly clusterCount: number;
}

/** The growth for a volume of `totalSectors` sectors. */
export function planTableGrowth(g: FatGeometry, totalSectors: number): TableGrowth {
  const countFrom = (dataStart: number): number => Math.floor((totalSectors - dataStart) / g.sectorsPerCluster);
  const clusterCount = countFrom(g.dataStart);
  if (clusterCount <= tableCapacity(g.kind, g.fatSectors, g.sectorSize)) {
    return {
      shift: 0,
      reservedSectors: g.reservedSectors,
      fatSectors: g.fatSectors,
      dataStart: g.dataStart,
      clusterCount,
    };
  }
  // The count before the shift is the larger one, so a table for it is long enough for the one after.
  const extra = tableSectors(g.kind, clusterCount, g.sectorSize) - g.fatSectors;
  const shift = Math.ceil((extra * g.fatCount) / g.sectorsPerCluster);
  const room = shift * g.sectorsPerCluster;
  const each = Math.floor(room / g.fatCount);
  const dataStart = g.dataStart + room;
  return {
    shift,
    reservedSectors: g.reservedSectors + (room - each * g.fatCount),
    fatSectors: g.fatSectors + each,
    dataStart,
    clusterCount: countFrom(dataStart),
  };
}
