/**
 * Everything that does something to a reader instead of being seen: controls, marks that turn writing round, halves of
 * letters, and two that XML 1.0 §2.2 does not have.
 */
const UNSEEN =
  /[\u0000-\u001f\u007f-\u009f\u200e\u200f\u2028-\u202e\u2066-\u2069\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g;

/** Text from a disk as a terminal or a paper can show it: whatever is not seen is written out. */
export const plain = (text: string): string =>
  text.replace(UNSEEN, (c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`);
