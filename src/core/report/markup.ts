/** Text from a disk in XML and HTML: nothing in it is markup, and nothing is a character that XML can’t have. */
import { plain } from '@/core/bytes';

const ESCAPES: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
};

/** Text for XML and HTML, in elements and in quoted attributes. */
export const escaped = (text: string): string => plain(text).replace(/[&<>"']/g, (c) => ESCAPES[c]!);
