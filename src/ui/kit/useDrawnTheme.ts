import { useSyncExternalStore } from 'react';

const watch = (changed: () => void): (() => void) => {
  const observer = new MutationObserver(changed);
  observer.observe(document.documentElement, { attributes: true, attributeFilter: ['data-theme'] });
  return () => observer.disconnect();
};

/** The theme that the page's colours are of: what is drawn by hand with them is drawn anew when it changes. */
export const useDrawnTheme = (): string =>
  useSyncExternalStore(
    watch,
    () => document.documentElement.dataset.theme ?? '',
    () => '',
  );
