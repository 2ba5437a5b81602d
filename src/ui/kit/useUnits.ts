import { formatSize } from '@/core/size';
import { useBench } from '@/state';
import { useCallback } from 'react';

/** Formats bytes in the unit system that is switched on. */
export function useSizes(): (bytes: number) => string {
  const units = useBench((s) => s.units);
  return useCallback((bytes: number) => formatSize(bytes, units), [units]);
}
