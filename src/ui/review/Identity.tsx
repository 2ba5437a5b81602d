'use client';

import type { SpaceItem } from '@/core/goal';
import { formatBytes, formatSize, spaced } from '@/core/size';
import { diskMark } from '@/core/table';
import { engine } from '@/engine';
import { failingWords, mediumWords, type Current } from '@/state';
import { useEffect, useState } from 'react';
import { Facts, useSizes } from '../kit';

const SHOWN = 3;

/** The right disk beyond doubt: what it is, and what is on it in a line. */
export function Identity({ current }: { readonly current: Current }) {
  const size = useSizes();
  const { disk, id } = current;
  const survey = disk.survey!;
  const main = [...survey.volumes].filter((v) => v.info).sort((a, b) => b.files - a.files)[0]?.number;
  const [folders, setFolders] = useState<readonly SpaceItem[]>([]);
  useEffect(() => {
    let live = true;
    if (main !== undefined)
      void engine('facts', id, main).then(
        (facts) => live && setFolders(facts.folders.filter((f) => !f.path.includes('/')).slice(0, SHOWN)),
      );
    return () => void (live = false);
  }, [id, main]);
  const files = survey.volumes.reduce((sum, v) => sum + v.files, 0);
  const volumes = `${survey.volumes.length} volume${survey.volumes.length === 1 ? '' : 's'}`;
  const table = { none: 'none', mbr: 'master boot record', gpt: 'GUID table' }[survey.table];
  return (
    <Facts
      items={[
        ['Disk', `${formatSize(survey.size, 'decimal')} ${mediumWords(disk.stored)}`],
        ['Exactly', formatBytes(survey.size)],
        ['Table', survey.table === 'none' ? table : `${table}, ${diskMark(survey.partitions)}`],
        ['Holds', `${spaced(files)} files in ${volumes}`],
        [
          'Most of it',
          folders.map((f) => `${f.path} ${size(f.bytes)}`).join(', ') || (main === undefined ? 'nothing' : '…'),
        ],
        ...(failingWords(disk.stored) ? [['Failing', failingWords(disk.stored)!] as const] : []),
      ]}
    />
  );
}
