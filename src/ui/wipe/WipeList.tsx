'use client';

import { removeWipe, wipeTargetWords, type Layout } from '@/core/layout';
import { wipeWords } from '@/core/plan';
import { edit, useBench } from '@/state';
import { CloseOutlined } from '@ant-design/icons';
import { Button } from 'antd';
import styles from './wipe.module.css';

/** What is written over, each to be taken out again. */
export function WipeList({ id, planned }: { readonly id: string; readonly planned: Layout }) {
  const readOnly = useBench((s) => s.readOnly);
  const { wipes = [] } = planned;
  if (wipes.length === 0) return null;
  return (
    <ul className={styles.list} aria-label="What is wiped">
      {wipes.map((wish) => {
        const words = wipeTargetWords(planned, wish);
        return (
          <li key={words}>
            <span>{`${words}, ${wipeWords(wish)}`}</span>
            <Button
              icon={<CloseOutlined aria-hidden />}
              size="small"
              type="text"
              disabled={readOnly}
              aria-label={`Not: ${words}`}
              onClick={() => edit(id, (layout) => removeWipe(layout, wish))}
            />
          </li>
        );
      })}
    </ul>
  );
}
