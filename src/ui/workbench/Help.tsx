import { Modal } from 'antd';
import styles from './workbench.module.css';

const KEYS: readonly (readonly [string, string])[] = [
  ['S', 'Split the volume in hand'],
  ['N', 'New volume in unallocated space'],
  ['C', 'Copy a volume, or a whole disk, to here'],
  ['F', 'Move or copy folders of the volume in hand'],
  ['W', 'Wipe: write over what nobody wants'],
  ['↑ ↓', 'Nudge an edge that has the focus; with Shift eight times as far'],
  ['Home End', 'Put an edge to its floor, or as far as it goes'],
  ['↑ ↓', 'Move a volume that has the focus; with Alt past its neighbour'],
  ['G', 'Goals: fill the plan'],
  ['B', 'Make the volume in hand bigger'],
  ['A', 'Advice on the volume in hand'],
  ['Ctrl Z, Ctrl Y', 'Undo, redo'],
  ['Ctrl K', 'Commands'],
  ['?', 'This help'],
];

const SIZES: readonly (readonly [string, string])[] = [
  ['60 GB', 'of 1000, as printed on boxes'],
  ['60 GiB, 60g', 'of 1024, as systems show it'],
  ['61 440 MiB', 'exact; spaces are fine'],
  ['50 %, half, 1/3', 'of the room there is'],
  ['rest, floor', 'all that is left; the least there can be'],
  ['+10 GiB', 'more than now'],
];

/** Keys and the size grammar on one page. */
export function Help({ open, onClose }: { readonly open: boolean; readonly onClose: () => void }) {
  return (
    <Modal open={open} onCancel={onClose} footer={null} title="Help" width={620}>
      <div className={styles.help}>
        <List title="Keys" items={KEYS} />
        <List title="Sizes" items={SIZES} />
      </div>
      <p className={styles.helpNote}>
        A section is as tall as its size and filled to what is in use; the pale rest is headroom. Dashed means it does
        not exist yet, hatched means unallocated.
      </p>
    </Modal>
  );
}

function List({ title, items }: { readonly title: string; readonly items: readonly (readonly [string, string])[] }) {
  return (
    <section>
      <h3>{title}</h3>
      <dl>
        {items.map(([key, words]) => (
          <div key={key}>
            <dt>
              <kbd>{key}</kbd>
            </dt>
            <dd>{words}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
