/** What a surveyed disk offers to be copied. */
import { nameOf, type CopySource } from '@/core/layout';
import type { DiskId } from '@/core/place';
import { boundsOf } from './bounds';
import { layoutOf, type Survey } from './survey';

/** The volumes of a disk as they can be copied, in its own order. What a broken check says of one holds for its copy. */
export function copySourcesOf(survey: Survey, disk: DiskId, diskName: string): CopySource[] {
  const bounds = boundsOf(survey);
  return layoutOf(survey).volumes.map((volume, i): CopySource => {
    const { number, info } = survey.volumes[i]!;
    const bound = bounds.get(number);
    return {
      volume,
      sectorSize: survey.sectorSize,
      origin: {
        kind: 'copy',
        of: { disk, number },
        name: nameOf(volume),
        diskName,
        length: volume.length,
        used: info?.used ?? volume.length,
        ...(bound ? { bounds: bound } : {}),
        identity: 'new',
      },
    };
  });
}
