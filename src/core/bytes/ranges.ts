/** Searching lists of half-open ranges. */

/** The index of the first of the sorted ranges that ends after `offset`. */
export function firstAfter(ranges: readonly { readonly end: number }[], offset: number): number {
  let low = 0;
  let high = ranges.length;
  while (low < high) {
    const mid = (low + high) >>> 1;
    if (ranges[mid]!.end <= offset) low = mid + 1;
    else high = mid;
  }
  return low;
}
