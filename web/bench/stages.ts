/** The stages of a picture in the order of the work. */
export const STAGES = [
  { id: 'assemble', word: 'Assemble', isReady: false, purpose: 'Here a picture will be put together from several: pieces of a torn print, or the exposures of a bracket. This picture has one source, so there is nothing to assemble.' },
  { id: 'find', word: 'Find', isReady: true, purpose: '' },
  { id: 'mend', word: 'Mend', isReady: true, purpose: '' },
  { id: 'correct', word: 'Correct', isReady: true, purpose: '' },
  { id: 'rebuild', word: 'Rebuild', isReady: true, purpose: '' },
  { id: 'finish', word: 'Finish', isReady: true, purpose: '' },
  { id: 'hand-over', word: 'Hand over', isReady: true, purpose: '' },
] as const
export type StageId = (typeof STAGES)[number]['id']
