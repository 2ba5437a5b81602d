'use client';

import { dismissProblem, useBench } from '@/state';
import { giveUpEngine } from '@/engine';
import { Alert, Button } from 'antd';
import { later } from '../kit';

const Opening = later(() => import('./Opening').then((m) => m.Opening));
const StorageFull = later(() => import('./StorageFull').then((m) => m.StorageFull));

/** What the whole page has to say: who holds the bench, what went wrong, and what to do about it. */
export function Notices() {
  const problem = useBench((s) => s.problem);
  const readOnly = useBench((s) => s.readOnly);
  const silent = useBench((s) => s.silent);
  const full = useBench((s) => s.full);
  const opening = useBench((s) => s.opening);
  return (
    <>
      {readOnly ? (
        <Alert
          banner
          type="warning"
          title="The bench is open in another tab. This one only shows it, and takes over when the other is closed."
        />
      ) : null}
      {silent ? (
        <Alert
          banner
          type="warning"
          title="The engine has not answered for some seconds. It may be busy with something large; if nothing moves, start it anew. What was kept is whole, and a run goes on where it was."
          action={
            <Button size="small" onClick={giveUpEngine}>
              Start the engine anew
            </Button>
          }
        />
      ) : null}
      {opening ? <Opening {...opening} /> : null}
      {problem ? <Alert banner type="error" title={problem} closable={{ onClose: dismissProblem }} /> : null}
      {full ? <StorageFull use={full} /> : null}
    </>
  );
}
