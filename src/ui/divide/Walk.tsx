'use client';

import { Tour } from 'antd';
import { useState } from 'react';

/** Whether this person was shown round before. Known at once, before anything is drawn. */
const WALKED = 'ullager-walked';
const wasShown = (): boolean => {
  try {
    return localStorage.getItem(WALKED) !== null;
  } catch {
    return true;
  }
};

const at = (part: string) => (): HTMLElement => document.querySelector<HTMLElement>(`[data-walk="${part}"]`)!;

/** Four steps over the real screen, the first time somebody divides; skipped or not, never again. */
export function Walk() {
  const [open, setOpen] = useState(() => !wasShown());
  const close = (): void => {
    setOpen(false);
    try {
      localStorage.setItem(WALKED, new Date().toISOString());
    } catch {
      // It is shown again the next time, then.
    }
  };
  if (!open) return null;
  return (
    <Tour
      open
      onClose={close}
      onFinish={close}
      mask={false}
      type="primary"
      steps={[
        {
          target: at('columns'),
          title: 'What there is, and what it shall become',
          description:
            'A disk stands upright, filled to what is in use. On the left it is as it is; on the right you draw.',
          placement: 'right',
        },
        {
          target: at('tools'),
          title: 'One gesture for the usual wish',
          description: 'Split the volume in hand, or fill the plan from a goal. Then drag an edge by its grip.',
          placement: 'bottomRight',
        },
        {
          target: at('volume'),
          title: 'Or type it',
          description: 'Size in any unit, label, letter and file system of the volume in hand are in one place.',
          placement: 'left',
        },
        {
          target: at('order'),
          title: 'The work order follows',
          description:
            'Always current: what is carried, how long it takes, what is lost. Nothing is touched before you run it.',
          placement: 'left',
        },
      ]}
    />
  );
}
