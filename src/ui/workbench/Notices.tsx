'use client';

import { cancelOpening, dismissProblem, useBench } from '@/state';
import { giveUpEngine } from '@/engine';
import { Alert, Button, Progress } from 'antd';
import { StorageFull } from './StorageFull';
import styles from './workbench.module.css';

/** What the whole page has to say: who holds the bench, what went wrong, and what to do about it. */
export function Notices() {
  const problem = useBench((s) => s.problem);
  const readOnly = useBench((s) => s.readOnly);
  const silent = useBench((s) => s.silent);
  const full = useBench((s) => s.full);
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
      <Opening />
      {problem ? <Alert banner type="error" title={problem} closable={{ onClose: dismissProblem }} /> : null}
      {full ? <StorageFull use={full} /> : null}
    </>
  );
}

/** A packed image that is being opened, which can be called off. */
function Opening() {
  const opening = useBench((s) => s.opening);
  if (!opening) return null;
  const percent = opening.total > 0 ? Math.floor((opening.done / opening.total) * 100) : 0;
  return (
    <div className={styles.opening} role="status">
      <span>{`Opening ${opening.name}`}</span>
      <Progress percent={percent} size="small" aria-label={`Opening ${opening.name}`} />
      <Button size="small" onClick={() => void cancelOpening()}>
        Cancel
      </Button>
    </div>
  );
}
