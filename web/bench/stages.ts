/** The stages of a picture in the order of the work. */
export const STAGES = [
  { id: 'assemble', word: 'Assemble' },
  { id: 'find', word: 'Find' },
  { id: 'mend', word: 'Mend' },
  { id: 'correct', word: 'Correct' },
  { id: 'rebuild', word: 'Rebuild' },
  { id: 'finish', word: 'Finish' },
  { id: 'hand-over', word: 'Hand over' },
] as const
export type StageId = (typeof STAGES)[number]['id']
