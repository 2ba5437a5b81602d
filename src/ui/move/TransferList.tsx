'use client';

import { removeTransfer, transferWords, type Layout } from '@/core/layout';
import { edit, useBench } from '@/state';
import { CloseOutlined } from '@ant-design/icons';
import { Button } from 'antd';
import styles from './move.module.css';

/** What goes from volume to volume, each to be taken out again. */
export function TransferList({ id, planned }: { readonly id: string; readonly planned: Layout }) {
  const readOnly = useBench((s) => s.readOnly);
  const { transfers = [] } = planned;
  if (transfers.length === 0) return null;
  return (
    <ul className={styles.transfers} aria-label="What goes from volume to volume">
      {transfers.map((wish) => {
        const words = transferWords(planned, wish);
        return (
          <li key={`${wish.from.disk} ${wish.from.number} ${wish.folder} ${wish.to}`}>
            <span>
              {words}
              {wish.under && wish.under !== wish.folder ? `, as ${wish.under}` : ''}
              {wish.leave ? ', a link stays' : ''}
            </span>
            <Button
              icon={<CloseOutlined aria-hidden />}
              size="small"
              type="text"
              disabled={readOnly}
              aria-label={`Not: ${words}`}
              onClick={() => edit(id, (layout) => removeTransfer(layout, wish))}
            />
          </li>
        );
      })}
    </ul>
  );
}
