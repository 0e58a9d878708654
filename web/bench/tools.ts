import type { MarksShown, Tool } from '../store/bench.js'

/** Tools of Mend, as they stand over the picture. */
export const TOOLS: readonly { readonly id: Tool; readonly word: string; readonly key?: string; readonly hint: string }[] = [
  { id: 'select', word: 'Select', hint: 'Click a mark to judge it; drag it, its edge or its source' },
  { id: 'spot', word: 'Spot', key: 'S', hint: 'Click to mend a round spot' },
  { id: 'stroke', word: 'Stroke', key: 'T', hint: 'Draw along a scratch, hair or fold; or click corner by corner and press Enter' },
  { id: 'outline', word: 'Outline', key: 'U', hint: 'Draw round a tear or stain; or click corner by corner and press Enter' },
  { id: 'area', word: 'Guard', key: 'G', hint: 'Draw what mends must stop at' },
]
export const MARKS: readonly MarksShown[] = ['all', 'unsettled', 'none']
