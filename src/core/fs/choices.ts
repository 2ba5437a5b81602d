/** What a kind offers for a new volume beside label and cluster size, as data that forms show and targets name. */
import { isUuid } from './uuid';
import type { Chosen, MakeChoice } from './kind-facts';

/** Why a value can't be that of a choice, in words that follow its title; undefined when it can. */
function fault(choice: MakeChoice, value: Chosen[string]): string | undefined {
  switch (choice.kind) {
    case 'switch':
      return typeof value === 'boolean' ? undefined : 'is yes or no';
    case 'uuid':
      return typeof value === 'string' && isUuid(value) ? undefined : 'is 32 hexadecimal digits with dashes between';
    case 'number': {
      const { least, most } = choice;
      const fits = typeof value === 'number' && value >= least && value <= most;
      return fits ? undefined : `is a number from ${least} to ${most}`;
    }
  }
}

/** What is wrong with what was chosen for a kind with these choices, or undefined. */
export function chosenFault(choices: readonly MakeChoice[], chosen: Chosen): string | undefined {
  for (const [id, value] of Object.entries(chosen)) {
    const choice = choices.find((c) => c.id === id);
    if (!choice) return `it has no choice called ${id}`;
    const wrong = fault(choice, value);
    if (wrong) return `${choice.title} ${wrong}`;
  }
  return undefined;
}
