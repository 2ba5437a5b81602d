'use client';

import type { Losses, VolumeProof, WipeProof } from '@/core/proof';
import { methodWords } from '@/core/report';
import { spaced } from '@/core/size';
import { CheckCircleFilled, CloseCircleFilled } from '@ant-design/icons';
import { Collapse, Table } from 'antd';
import { Facts, useSizes } from '../kit';
import styles from './prove.module.css';

const isSound = ({ differing, findings }: VolumeProof): boolean =>
  differing === 0 && findings.every((f) => f.severity !== 'error');

const plural = (n: number, one: string): string => `${spaced(n)} ${one}${n === 1 ? '' : 's'}`;

/** A volume in a line: what came of it. */
function lineOf(proof: VolumeProof): string {
  const { files, differing, findings } = proof;
  if (differing > 0) return `${plural(differing, 'file')} differ${differing === 1 ? 's' : ''}`;
  if (findings.some((f) => f.severity === 'error')) return 'its structures are not sound';
  return `${plural(files, 'file')} identical${findings.length === 0 ? ', structures sound' : ''}`;
}

/** Every volume that was kept, each a line that opens; those that differ come first. */
export function VolumeProofs({ volumes }: { readonly volumes: readonly VolumeProof[] }) {
  const size = useSizes();
  if (volumes.length === 0) return null;
  const inOrder = [...volumes].sort((a, b) => Number(isSound(a)) - Number(isSound(b)));
  return (
    <section>
      <h2>What was kept</h2>
      <Collapse
        size="small"
        items={inOrder.map((proof) => ({
          key: proof.number,
          label: (
            <span className={styles.line}>
              {isSound(proof) ? (
                <CheckCircleFilled aria-hidden className={styles.icon} />
              ) : (
                <CloseCircleFilled aria-hidden className={styles.badIcon} />
              )}
              <strong>{proof.name}</strong>
              <span className={styles.sub}>{lineOf(proof)}</span>
            </span>
          ),
          children: (
            <Facts
              items={[
                ['Files', spaced(proof.files)],
                ['Folders', spaced(proof.folders)],
                ['Content', size(proof.bytes)],
                ['Identical', spaced(proof.identical)],
                ['Differ', spaced(proof.differing)],
                [
                  'Structure check',
                  proof.findings.length === 0 ? 'sound' : proof.findings.map((f) => f.message).join(' '),
                ],
                ['How', methodWords(proof)],
              ]}
            />
          ),
        }))}
      />
    </section>
  );
}

/** What was written over, and how that was shown. */
export function WipeProofs({ wipes }: { readonly wipes: readonly WipeProof[] }) {
  const size = useSizes();
  return wipes.map((wipe) => (
    <section key={wipe.title} className={styles.volume}>
      <h2>{wipe.title}</h2>
      <Facts
        items={[
          ['Size', size(wipe.bytes)],
          ['How', wipe.how],
          ['Compared', size(wipe.compared)],
          ['Differ', `${spaced(wipe.differing)} bytes`],
          ['Could not be written', wipe.unwrittenBytes > 0 ? size(wipe.unwrittenBytes) : 'nothing'],
        ]}
      />
    </section>
  ));
}

/** Files of a copy that have zeros where their disk could not be read. */
export function LostFiles({ name, lost }: { readonly name: string; readonly lost: Losses }) {
  const size = useSizes();
  const files = `${spaced(lost.files)} file${lost.files === 1 ? '' : 's'}`;
  return (
    <section>
      <h2>{`Lost of ${name}`}</h2>
      <p className={styles.sub}>
        {`${size(lost.bytes)} of ${files} could not be read and are zeros in the copy; ${size(lost.elsewhere)} lay in structures and unused ends.`}
      </p>
      <Table
        size="small"
        rowKey="path"
        dataSource={[...lost.listed]}
        columns={[
          { title: 'Path', dataIndex: 'path' },
          { title: 'Bytes lost', dataIndex: 'bytes', width: 140, render: (bytes: number) => spaced(bytes) },
        ]}
        pagination={{ pageSize: 8, hideOnSinglePage: true }}
      />
    </section>
  );
}
