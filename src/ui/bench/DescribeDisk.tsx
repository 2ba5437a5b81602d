'use client';

import { makeableKinds } from '@/core/fs';
import { recipeFrom, type Description } from '@/core/practice';
import { addPractice } from '@/state';
import { CloseOutlined } from '@ant-design/icons';
import { Alert, Button, Drawer, Form, Input, Select } from 'antd';
import { useState } from 'react';
import { ROLE_WORDS, ROLES } from '../kit';
import styles from './describe.module.css';

const MEDIA = [
  { value: 'hdd', label: 'Hard disk' },
  { value: 'ssd', label: 'SSD' },
  { value: 'nvme', label: 'NVMe SSD' },
  { value: 'usb', label: 'USB stick' },
  { value: 'card', label: 'Memory card' },
];
const TABLES = [
  { value: 'gpt', label: 'GUID table (GPT)' },
  { value: 'mbr', label: 'Master boot record (MBR)' },
  { value: 'none', label: 'None' },
];
const SECTORS = [
  { value: 512, label: '512 bytes' },
  { value: 4096, label: '4096 bytes' },
];
const LETTERS = [...'CDEFGHIJKLMNOPQRSTUVWXYZAB'].map((letter) => ({ value: letter, label: letter }));

/** A customer's machine as it is usually found. */
const START: Description = {
  name: '',
  medium: 'ssd',
  model: '',
  size: '512 GB',
  sectorSize: 512,
  table: 'gpt',
  volumes: [
    { fileSystem: 'fat32', size: '260 MiB', used: '30 MiB', label: 'SYSTEM', role: 'firmware' },
    { fileSystem: 'ntfs', size: 'rest', used: '180 GiB', label: 'System', letter: 'C', role: 'system' },
    { fileSystem: 'ntfs', size: '1 GiB', used: '500 MiB', label: 'Recovery', role: 'recovery' },
  ],
};

/** Describes a disk by what can be read off a machine, and puts it on the bench. */
export function DescribeDisk({ open, onClose }: { readonly open: boolean; readonly onClose: () => void }) {
  const [form] = Form.useForm<Description>();
  const [fault, setFault] = useState<string>();
  const [busy, setBusy] = useState(false);
  const kinds = [
    ...makeableKinds().map((k) => ({ value: k.kind, label: k.title })),
    { value: 'unknown', label: 'another system’s, not known' },
  ];
  const finish = async (description: Description): Promise<void> => {
    setFault(undefined);
    setBusy(true);
    try {
      await addPractice(recipeFrom(description, `described-${crypto.randomUUID()}`));
      onClose();
    } catch (error) {
      setFault((error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Drawer open={open} onClose={onClose} title="Describe a disk by hand" size={980} destroyOnHidden>
      <Form form={form} layout="vertical" initialValues={START} onFinish={(values) => void finish(values)}>
        <p className={styles.lead}>
          What you can read off the machine is enough. The disk that is made has the same size, table and volumes,
          filled as far, so that the job can be planned and rehearsed.
        </p>
        <div className={styles.disk}>
          <Form.Item
            name="name"
            label="Name"
            rules={[{ required: true, whitespace: true, message: 'Whose disk is it?' }]}
          >
            <Input placeholder="Café till" maxLength={60} />
          </Form.Item>
          <Form.Item name="size" label="Size, as printed" rules={[{ required: true }]}>
            <Input />
          </Form.Item>
          <Form.Item name="medium" label="Medium">
            <Select options={MEDIA} />
          </Form.Item>
          <Form.Item name="model" label="Model">
            <Input maxLength={80} />
          </Form.Item>
          <Form.Item name="table" label="Table">
            <Select options={TABLES} />
          </Form.Item>
          <Form.Item name="sectorSize" label="Sectors">
            <Select options={SECTORS} />
          </Form.Item>
        </div>
        <h3>Volumes, in the order they lie</h3>
        <Form.List name="volumes">
          {(fields, { add, remove }) => (
            <>
              <div className={styles.volumeHead} aria-hidden>
                <span>Size</span>
                <span>In use</span>
                <span>File system</span>
                <span>Label</span>
                <span>Letter</span>
                <span>Role</span>
              </div>
              {fields.map((field, i) => (
                <div key={field.key} className={styles.volume}>
                  <Form.Item name={[field.name, 'size']}>
                    <Input aria-label={`Size of volume ${i + 1}`} />
                  </Form.Item>
                  <Form.Item name={[field.name, 'used']}>
                    <Input aria-label={`In use of volume ${i + 1}`} />
                  </Form.Item>
                  <Form.Item name={[field.name, 'fileSystem']}>
                    <Select options={kinds} aria-label={`File system of volume ${i + 1}`} />
                  </Form.Item>
                  <Form.Item name={[field.name, 'label']}>
                    <Input aria-label={`Label of volume ${i + 1}`} />
                  </Form.Item>
                  <Form.Item name={[field.name, 'letter']}>
                    <Select options={LETTERS} allowClear placeholder="–" aria-label={`Letter of volume ${i + 1}`} />
                  </Form.Item>
                  <Form.Item name={[field.name, 'role']}>
                    <Select
                      options={ROLES.map((role) => ({ value: role, label: ROLE_WORDS[role] }))}
                      aria-label={`Role of volume ${i + 1}`}
                    />
                  </Form.Item>
                  <Button
                    icon={<CloseOutlined aria-hidden />}
                    type="text"
                    onClick={() => remove(field.name)}
                    aria-label={`Take volume ${i + 1} out`}
                  />
                </div>
              ))}
              <Button onClick={() => add({ fileSystem: 'ntfs', size: 'rest', used: '0 B', label: '', role: 'data' })}>
                Another volume
              </Button>
            </>
          )}
        </Form.List>
        {fault ? <Alert type="error" showIcon title={fault} className={styles.fault} /> : null}
        <div className={styles.foot}>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="primary" htmlType="submit" loading={busy}>
            Put it on the bench
          </Button>
        </div>
      </Form>
    </Drawer>
  );
}
