import type { Flaw, Step, TelltaleName } from './schema.js'

/** Words of screen and report for what the treatment stores. */
export const KIND_WORDS: Record<Flaw['kind'], string> = {
  dust: 'Dust', speck: 'Speck', mould: 'Mould', hair: 'Hair', scratch: 'Scratch', fold: 'Fold', wire: 'Wire', loss: 'Loss or tear', stain: 'Stain', flat: 'Flat patch', smudge: 'Smudge', moire: 'Moire', other: 'By hand',
}
/** What a mend did. */
export const METHOD_WORDS: Record<Step['method'], string> = { lift: 'lifted: what lay under it was given back', heal: 'healed from close by', clone: 'copied from close by', fill: 'filled in' }
/** Sections of the report and of the screen. */
export const STAGE_WORDS = { assemble: 'Assemble', find: 'Find', mend: 'Mend', correct: 'Correct', rebuild: 'Rebuild', finish: 'Finish', 'hand-over': 'Hand over' } as const
export const TELLTALE_SHORT: Record<TelltaleName, string> = { leftover: 'something left', toneStep: 'step in tone', grain: 'grain differs', repeat: 'repeats', brokenEdge: 'edge breaks', smear: 'smeared', subjectTouched: 'guard touched', taintedSource: 'source flawed' }
