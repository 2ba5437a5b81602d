import { Collapse, Modal, Tabs } from 'antd';
import { useState } from 'react';
import { KEYS, SIZES, TASKS } from '../guide';
import styles from './workbench.module.css';

/** The guide by tasks, the keys, and how sizes are typed. */
export function Help({ open, onClose }: { readonly open: boolean; readonly onClose: () => void }) {
  return (
    <Modal open={open} onCancel={onClose} footer={null} title="Help" width={680} destroyOnHidden>
      <Tabs
        items={[
          { key: 'guide', label: 'Guide', children: <Guide /> },
          {
            key: 'keys',
            label: 'Keys',
            children: (
              <>
                <List items={KEYS} />
                <p className={styles.helpNote}>
                  A section is as tall as its size and filled to what is in use; the pale rest is headroom. Dashed means
                  it does not exist yet, hatched means unallocated.
                </p>
              </>
            ),
          },
          { key: 'sizes', label: 'Sizes', children: <List items={SIZES} /> },
        ]}
      />
    </Modal>
  );
}

function Guide() {
  return (
    <div className={styles.guide} tabIndex={0}>
      <Collapse
        accordion
        size="small"
        defaultActiveKey={TASKS[0]!.title}
        items={TASKS.map(({ title, when, moves, note, picture }) => ({
          key: title,
          label: title,
          children: (
            <>
              <p className={styles.when}>{when}</p>
              <ol>
                {moves.map((move) => (
                  <li key={move}>{move}</li>
                ))}
              </ol>
              {note ? <p className={styles.helpNote}>{note}</p> : null}
              {picture ? <Picture name={picture} title={title} /> : null}
            </>
          ),
        }))}
      />
    </div>
  );
}

/** The view that a task is about. Where its server is away, and it was not seen before, there is none. */
function Picture({ name, title }: { readonly name: string; readonly title: string }) {
  const [gone, setGone] = useState(false);
  if (gone) return null;
  return (
    // eslint-disable-next-line @next/next/no-img-element -- of the application itself, shown as it is
    <img
      className={styles.picture}
      src={`/guide/${name}.png`}
      alt={`The view for: ${title}`}
      width={1280}
      height={800}
      loading="lazy"
      onError={() => setGone(true)}
    />
  );
}

function List({ items }: { readonly items: readonly (readonly [string, string])[] }) {
  return (
    <dl className={styles.help}>
      {items.map(([key, words]) => (
        <div key={words}>
          <dt>
            <kbd>{key}</kbd>
          </dt>
          <dd>{words}</dd>
        </div>
      ))}
    </dl>
  );
}
