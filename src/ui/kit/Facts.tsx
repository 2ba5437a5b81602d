import type { ReactNode } from 'react';
import styles from './kit.module.css';

/** Facts in pairs of word and value. */
export function Facts({ items }: { readonly items: readonly (readonly [string, ReactNode])[] }) {
  return (
    <dl className={styles.facts}>
      {items.map(([word, value]) => (
        <div key={word}>
          <dt>{word}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </dl>
  );
}
