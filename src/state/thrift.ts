/** Whether the person has asked this browser to fetch and do only what is wanted (Network Information API, `saveData`). */
export function savesData(): boolean {
  if (typeof navigator === 'undefined') return false;
  return (navigator as { readonly connection?: { readonly saveData?: boolean } }).connection?.saveData === true;
}
