import type { Role } from '@/core/layout';
import { roleColours } from './roles';
import styles from './kit.module.css';

/** A drive letter on its role's colour. */
export function LetterChip({ letter, role }: { readonly letter: string; readonly role: Role }) {
  return (
    <span className={styles.chip} style={{ background: roleColours(role).full }}>
      {letter}
    </span>
  );
}
