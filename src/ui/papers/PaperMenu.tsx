'use client';

import { Alert, Button, Dropdown } from 'antd';
import { useState } from 'react';
import styles from './papers.module.css';

export interface PaperItem {
  readonly name: string;
  readonly act: () => Promise<void> | void;
}

/** A button with everything that can be saved or printed here; what could not be is told beside it. */
export function PaperMenu({ title, items }: { readonly title: string; readonly items: readonly PaperItem[] }) {
  const [busy, setBusy] = useState(false);
  const [fault, setFault] = useState<string>();
  const act = async (key: string): Promise<void> => {
    setFault(undefined);
    setBusy(true);
    try {
      await items[Number(key)]!.act();
    } catch (error) {
      setFault(error instanceof Error ? error.message : String(error));
    } finally {
      setBusy(false);
    }
  };
  return (
    <span className={styles.menu}>
      <Dropdown
        trigger={['click']}
        menu={{
          items: items.map(({ name }, i) => ({ key: String(i), label: name })),
          onClick: ({ key }) => void act(key),
        }}
      >
        <Button size="large" loading={busy}>
          {title}
        </Button>
      </Dropdown>
      {fault ? <Alert type="error" showIcon title={fault} /> : null}
    </span>
  );
}
