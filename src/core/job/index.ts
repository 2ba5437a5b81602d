export { checkDocument, inspectDocument, planDocument } from './documents';
export { parseTarget, resolveTarget, sameLayout, targetSchema } from './target';
export type { ResolvedTarget, Target, TargetInput } from './target';
