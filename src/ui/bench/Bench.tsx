'use client';

import { openFiles, useBench, type BenchDisk } from '@/state';
import {
  AppstoreOutlined,
  DownOutlined,
  FolderOpenOutlined,
  FormOutlined,
  SearchOutlined,
  TableOutlined,
} from '@ant-design/icons';
import { Button, Dropdown, Empty, Segmented, Spin } from 'antd';
import { useState } from 'react';
import { DiskPlate } from './DiskPlate';
import { pickFiles } from './OpenImage';
import { inOrder, ORDERS, type Order } from './order';
import { saveList } from './save-list';
import { later, useOnce } from '../kit';
import styles from './bench.module.css';

const DescribeDisk = later(() => import('./DescribeDisk').then((m) => m.DescribeDisk));
const EmptyBench = later(() => import('./EmptyBench').then((m) => m.EmptyBench));
const VolumeTable = later(() => import('./VolumeTable').then((m) => m.VolumeTable), <Spin />);

/** Home: all disks as columns on a shelf, or all volumes as a table. */
export function Bench() {
  const disks = useBench((s) => s.disks);
  const jobs = useBench((s) => s.jobs);
  const ready = useBench((s) => s.ready);
  const readOnly = useBench((s) => s.readOnly);
  const [describing, setDescribing] = useState(false);
  const [view, setView] = useState<'disks' | 'volumes'>('disks');
  const [text, setText] = useState('');
  const [order, setOrder] = useState<Order>('added');
  const described = useOnce(describing);
  const describe = (): void => setDescribing(true);
  const shown = inOrder(disks, jobs, order, text);
  return (
    <div className={styles.page}>
      <div className={styles.head}>
        <div>
          <h1>Bench</h1>
          <p className={styles.sub}>Everything here is an image or a practice disk. The original is never written.</p>
        </div>
        <div className={styles.tools}>
          <Button
            type="primary"
            icon={<FolderOpenOutlined aria-hidden />}
            disabled={readOnly}
            onClick={() => void pickFiles(openFiles)}
          >
            Open an image or a job…
          </Button>
          <Button icon={<FormOutlined aria-hidden />} disabled={readOnly} onClick={describe}>
            Describe a disk…
          </Button>
        </div>
      </div>
      {disks.length > 0 ? (
        <div className={styles.bar}>
          <span className={styles.search}>
            <SearchOutlined aria-hidden />
            <input
              type="search"
              aria-label="Find a disk or a volume"
              placeholder="Find a disk or a volume"
              value={text}
              onChange={(e) => setText(e.target.value)}
            />
          </span>
          {view === 'disks' ? <OrderChoice order={order} onOrder={setOrder} /> : null}
          <span className={styles.views} />
          <Segmented<'disks' | 'volumes'>
            value={view}
            onChange={setView}
            options={[
              { value: 'disks', label: 'Disks', icon: <AppstoreOutlined aria-hidden /> },
              { value: 'volumes', label: 'Volumes', icon: <TableOutlined aria-hidden /> },
            ]}
          />
          <Button onClick={() => void saveList(disks)}>Volume list…</Button>
        </div>
      ) : null}
      {!ready && disks.length === 0 ? <Spin description="Opening the bench" className={styles.spin} /> : null}
      {ready && disks.length === 0 ? <EmptyBench onDescribe={describe} /> : null}
      {disks.length > 0 && view === 'volumes' ? <VolumeTable disks={disks} text={text} /> : null}
      {view === 'disks' ? <Plates disks={shown} some={disks.length > 0} /> : null}
      {described ? <DescribeDisk open={describing} onClose={() => setDescribing(false)} /> : null}
    </div>
  );
}

interface OrderProps {
  readonly order: Order;
  readonly onOrder: (order: Order) => void;
}

function OrderChoice({ order, onOrder }: OrderProps) {
  const label = ORDERS.find((o) => o.order === order)?.label;
  return (
    <Dropdown
      trigger={['click']}
      menu={{
        items: ORDERS.map((o) => ({ key: o.order, label: o.label })),
        selectable: true,
        selectedKeys: [order],
        onClick: ({ key }) => onOrder(key as Order),
      }}
    >
      <Button icon={<DownOutlined aria-hidden />} iconPlacement="end" aria-label={`Order of the disks: ${label}`}>
        {label}
      </Button>
    </Dropdown>
  );
}

function Plates({ disks, some }: { readonly disks: readonly BenchDisk[]; readonly some: boolean }) {
  if (disks.length === 0)
    return some ? <Empty description="No disk here is called that, nor a volume of one." /> : null;
  return (
    <ul className={styles.shelf}>
      {disks.map((disk) => (
        <DiskPlate key={disk.stored.id} disk={disk} />
      ))}
    </ul>
  );
}
