'use client';

import { dismissChoice, openFile, reopen, useBench, type Choosing } from '@/state';
import { Button, Modal } from 'antd';
import styles from './workbench.module.css';

/** A file that can't be taken on without a word from the person: which disk in it, or which disk it is. */
export function FileChoice() {
  const choosing = useBench((s) => s.choosing);
  return (
    <Modal open={choosing !== undefined} onCancel={dismissChoice} footer={null} title={choosing && titleOf(choosing)}>
      {choosing ? <Answers choosing={choosing} /> : null}
    </Modal>
  );
}

function titleOf({ why, file }: Choosing): string {
  if (why === 'no table') return `${file.name} begins like no disk that is known`;
  return why === 'several' ? `${file.name} holds several disk images` : `Which disk is ${file.name}?`;
}

function Answers({ choosing }: { readonly choosing: Choosing }) {
  const { file, handle } = choosing;
  const another = (
    <Button block onClick={() => void openFile(file, handle, { another: true })}>
      It is another disk: put it on the bench beside
    </Button>
  );
  switch (choosing.why) {
    case 'several':
      return (
        <div className={styles.answers}>
          {choosing.names.map((inside) => (
            <Button key={inside} block onClick={() => void openFile(file, handle, { inside })}>
              {inside}
            </Button>
          ))}
        </div>
      );
    case 'same?':
      return (
        <div className={styles.answers}>
          <p>{`It is as long as the image of ${choosing.name}, and begins and ends like it, but its date is another. If it was only copied or moved, it is that image. If something has written it since, what was planned and run here does not fit it any more.`}</p>
          <Button type="primary" block onClick={() => void reopen(choosing.id, file, handle, true)}>
            {`It is the image of ${choosing.name}`}
          </Button>
          {another}
        </div>
      );
    case 'no table':
      return (
        <div className={styles.answers}>
          <p>
            There is neither a partition table nor a file system at its start. If it is the image of a disk whose table
            is gone, the volumes on it can be searched for.
          </p>
          <Button type="primary" block onClick={() => void openFile(file, handle, { tableless: true })}>
            It is a disk whose table is gone
          </Button>
          <Button block onClick={dismissChoice}>
            Pick another file
          </Button>
        </div>
      );
    case 'other':
      return (
        <div className={styles.answers}>
          <p>{`It is not the file that ${choosing.name} was begun with: its size or content differs. What was planned and run on ${choosing.name} stays, and waits for its own file.`}</p>
          {another}
          <Button block onClick={dismissChoice}>
            Pick another file
          </Button>
        </div>
      );
  }
}
