/** Roles in word and colour. Colour tells the role, never the file system; the word always stands beside it. */
import type { Role } from '@/core/layout';

export const ROLE_WORDS: Readonly<Record<Role, string>> = {
  system: 'system',
  data: 'data',
  firmware: 'firmware',
  recovery: 'recovery',
  foreign: 'foreign',
  swap: 'swap',
};

export const ROLES = Object.keys(ROLE_WORDS) as Role[];

/** The custom properties of a role's two colours. */
export function roleColours(role: Role): { readonly full: string; readonly pale: string } {
  return { full: `var(--${role})`, pale: `var(--${role}-pale)` };
}
