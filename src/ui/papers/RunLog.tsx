'use client';

import { logWords, type LogLine } from '@/core/run';
import { engine } from '@/engine';
import { Collapse } from 'antd';
import { useEffect, useState } from 'react';
import styles from './papers.module.css';

const SHOWN = 200;

interface Props {
  readonly id: string;
  /** Changes whenever there is more to be read. */
  readonly mark: string;
}

/** The log of the runs on a disk, its latest lines first seen. */
export function RunLog({ id, mark }: Props) {
  const [lines, setLines] = useState<readonly LogLine[]>([]);
  const [open, setOpen] = useState(false);
  useEffect(() => {
    if (!open) return;
    let live = true;
    void engine('log', id).then(
      (found) => live && setLines(found.slice(-SHOWN)),
      () => undefined,
    );
    return () => void (live = false);
  }, [id, mark, open]);
  const text = lines.map(logWords).join('\n');
  return (
    <Collapse
      size="small"
      className={styles.log}
      onChange={(keys) => setOpen(keys.length > 0)}
      items={[
        {
          key: 'log',
          label: 'Log',
          children: (
            <pre className={styles.lines} tabIndex={0} aria-label="The log of the runs on this disk">
              {text || 'Nothing is written down yet.'}
            </pre>
          ),
        },
      ]}
    />
  );
}
