'use client';

import type { Plan } from '@/core/plan';
import { jobFileOf, pictureOfDisk, setNotes, sheetOf, useBench, type Current } from '@/state';
import { Input } from 'antd';
import { downloadText } from '../kit';
import { PaperMenu } from './PaperMenu';
import { printPaper, saveHtml, savePdf } from './print';
import styles from './papers.module.css';

interface Props {
  readonly current: Current;
  readonly plan: Plan;
}

/** What is planned, on its way to paper or to another machine. */
export function PlanPapers({ current, plan }: Props) {
  const { name } = current.disk.stored;
  const sheet = () => sheetOf(current, plan);
  return (
    <PaperMenu
      title="Papers…"
      items={[
        { name: 'Print the job sheet', act: () => printPaper(sheet()) },
        { name: 'Save the job sheet as PDF', act: () => savePdf(`${name} job sheet`, sheet()) },
        { name: 'Save the job sheet as HTML', act: () => saveHtml(`${name} job sheet`, sheet()) },
        { name: 'Save the picture as SVG', act: () => savePicture(current) },
        { name: 'Save the job as a file', act: () => saveJobFile(current) },
      ]}
    />
  );
}

export function savePicture(current: Current): void {
  downloadText(`${current.disk.stored.name}.svg`, 'image/svg+xml', pictureOfDisk(current));
}

/** Saves what is planned as a job: one file, for another day, another bench, or the runner. */
export function saveJobFile({ id, disk }: Current): void {
  const job = jobFileOf(id);
  if (job) downloadText(`${disk.stored.name} job.json`, 'application/json', `${JSON.stringify(job, null, 2)}\n`);
}

/** Notes that stand on the sheet and the certificate, and go with the job. */
export function Notes({ current: { id, job } }: { readonly current: Current }) {
  const readOnly = useBench((s) => s.readOnly);
  return (
    <section className={styles.notes}>
      <h2>
        <label htmlFor="job-notes">Notes for the customer</label>
      </h2>
      <Input.TextArea
        id="job-notes"
        value={job?.notes ?? ''}
        disabled={readOnly}
        maxLength={20_000}
        autoSize={{ minRows: 2, maxRows: 8 }}
        placeholder="They stand on the job sheet and on the certificate, and go with the job."
        onChange={(e) => setNotes(id, e.target.value)}
      />
    </section>
  );
}
