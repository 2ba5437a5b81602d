'use client';

import { headroomAdvice } from '@/core/goal';
import { resizeEnd, sizeRange } from '@/core/layout';
import { formatSize } from '@/core/size';
import { edit, useBench } from '@/state';
import { Button } from 'antd';
import { memo, useState } from 'react';
import { LetterChip, ROLE_WORDS, SizeInput } from '../kit';
import { VolumeActions } from './VolumeActions';
import { ChoiceRows } from './ChoiceRows';
import { CopyRows, FormatRows, NameRows, TableRows, type VolumeInHand } from './VolumeRows';
import styles from './divide.module.css';

interface Props extends VolumeInHand {
  /** Puts the cursor into the size when the volume has just been made. */
  readonly focusSize: boolean;
}

/** Everything about the volume in hand in one place: size, label, letter, file system, cluster size, role. */
export const VolumeForm = memo(function VolumeForm({ current, planned, bounds, volume, focusSize }: Props) {
  const { id } = current;
  const refusal = useBench((s) => s.refusal);
  const note = useBench((s) => s.note);
  const readOnly = useBench((s) => s.readOnly);
  const [fault, setFault] = useState<string>();
  const isNew = volume.origin.kind === 'new';
  const shared = { current, planned, bounds, volume };
  const resize = (bytes: number): void => void edit(id, (layout) => resizeEnd(layout, bounds, volume.id, bytes));
  const message = fault ?? refusal?.reason;
  const tight = headroomAdvice(current.disk.survey!, volume);

  return (
    <section className={styles.form} aria-label="Volume" data-walk="volume">
      <div className={styles.formHead}>
        {volume.letter ? <LetterChip letter={volume.letter} role={volume.role} /> : null}
        <h2>{volume.label || (isNew ? 'New volume' : 'No label')}</h2>
        <span>{`${isNew ? 'new ' : volume.origin.kind === 'copy' ? 'copied ' : ''}${ROLE_WORDS[volume.role]} volume`}</span>
      </div>
      <div className={styles.row}>
        <label htmlFor="size">Size</label>
        <SizeInput
          id="size"
          key={`${volume.id}-size`}
          bytes={volume.length}
          context={sizeRange(planned, bounds, volume)}
          focus={focusSize}
          disabled={readOnly}
          onSize={resize}
          onFault={setFault}
        />
      </div>
      {message ? (
        <p className={styles.refusal} role="alert">
          {message}{' '}
          {refusal?.nearest !== undefined && !fault ? (
            <Button size="small" type="link" style={{ padding: 0 }} onClick={() => resize(refusal.nearest!)}>
              {`Take ${formatSize(refusal.nearest)}`}
            </Button>
          ) : null}
        </p>
      ) : null}
      {note && !message ? <p className={styles.hint}>{note}</p> : null}
      {tight && !message ? <p className={styles.amber}>{tight}</p> : null}
      <NameRows {...shared} />
      <CopyRows {...shared} />
      <FormatRows {...shared} />
      <ChoiceRows {...shared} />
      <TableRows {...shared} />
      <VolumeActions {...shared} />
    </section>
  );
});
