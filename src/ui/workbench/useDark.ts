'use client';

import { useBench } from '@/state';
import { useEffect, useSyncExternalStore } from 'react';

const QUERY = '(prefers-color-scheme: dark)';

function subscribe(changed: () => void): () => void {
  const media = window.matchMedia(QUERY);
  media.addEventListener('change', changed);
  return () => media.removeEventListener('change', changed);
}

/** Whether the dark theme is on, by choice or by the system's. Marks the document for globals.css. */
export function useDark(): boolean {
  const theme = useBench((s) => s.theme);
  const system = useSyncExternalStore(
    subscribe,
    () => window.matchMedia(QUERY).matches,
    () => false,
  );
  const dark = theme === 'system' ? system : theme === 'dark';
  useEffect(() => {
    document.documentElement.dataset.theme = dark ? 'dark' : 'light';
  }, [dark]);
  return dark;
}
