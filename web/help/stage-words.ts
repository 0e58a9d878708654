/** What a word or a number of a screen says. */
export interface WordRow {
  readonly word: string
  /** What it means, and in what unit. */
  readonly means: string
  /** When it is good, or what to do about it. */
  readonly good?: string
}

export interface ScreenWords {
  readonly title: string
  /** The one line that says what the screen is for. */
  readonly purpose: string
  readonly words: readonly WordRow[]
}

const COVER: WordRow = { word: 'Strength', means: 'how much of the change is made, in per cent; 100 is all of it', good: 'as little as does it' }

/** Words of every screen, as the help shows them and docs/words.md lists them. */
export const STAGE_WORDS_EXPLAINED = {
  sheet: {
    title: 'Contact sheet',
    purpose: 'Decide which pictures are worth their work, and do for many what is the same in each.',
    words: [
      { word: 'flaws', means: 'what the search found or you drew; — where nothing was searched yet' },
      { word: 'covered', means: 'share of the picture that its flaws cover; and how many of them lie on the subject', good: 'up to 15 %; more can hardly be given back' },
      { word: 'time', means: 'what is left to do at your own pace, in minutes; at a usual pace until there are 12 gestures of yours' },
      { word: 'verdict', means: 'quick: up to 10 minutes; worth it: up to 45; long: up to 150; doubtful: more, or too much of the picture is covered' },
      { word: 'judged', means: 'share of the flaws that are settled or left on purpose', good: '100 %' },
      { word: 'show', means: 'mends that a telltale says are seen', good: 'none' },
    ],
  },
  sensor: {
    title: 'Sensor chart',
    purpose: 'The dust of one camera body, learned from several frames, is mended in all of them.',
    words: [
      { word: 'mark', means: 'a place of the sensor on which dust lay' },
      { word: 'seen', means: 'frames in which the mark was found, of those in which it could be', good: 'three or more' },
      { word: 'scale', means: 'size of the frame over that of the chart', good: 'near 1 on one body and lens' },
      { word: 'weight', means: 'how strongly a mark stands out here, in the noise of its place', good: 'under 3 hardly anyone sees it' },
    ],
  },
  assemble: {
    title: 'Assemble',
    purpose: 'Make one picture of several sources, before anything else is done to it.',
    words: [
      { word: 'misfit', means: 'how far the outlines of two pieces are apart along the tear, in pixels', good: 'under 1; where it is more, paper is missing and becomes a flaw' },
      { word: 'turn', means: 'by how much a piece is turned, in degrees' },
      { word: 'reference', means: 'the exposure whose time the merged picture shows: what moves is taken from it unless you say otherwise' },
      { word: 'moving thing', means: 'a place in which the exposures differ by more than their light; it comes whole from one of them' },
    ],
  },
  find: {
    title: 'Find',
    purpose: 'Make the list of what is wrong, and of what only looks so.',
    words: [
      { word: 'False finds to look at', means: 'finds that are none, on average in this picture; the line below says how many there may be at most', good: 'few where flaws are plain; more, where faint ones count' },
      { word: 'noise', means: 'contrast of a flaw over the deviation of the tones around it: 3× is three times as much', good: 'from about 3× it is seen' },
      { word: '% of grain', means: 'of flat places and smudges: grain in the place over grain around it', good: '85 to 115 %' },
      { word: 'others', means: 'of a moire: its wave over other waves as long' },
      { word: 'Of 100 such finds', means: 'how many are real, of finds as sure as this one; measured on photographs that had no part in the finder' },
      { word: 'doubtful', means: 'finds of which fewer than half are real' },
      { word: 'Made for', means: 'longer side of the picture as it is delivered: flaws nobody will see in that size come last' },
      { word: 'Round', means: 'the picture walked at 1:1; dark cells were looked at' },
    ],
  },
  mend: {
    title: 'Mend',
    purpose: 'Close each flaw with the gentlest method that does not show, and judge it.',
    words: [
      { word: 'Lift', means: 'gives back what shows through the flaw: nothing is invented' },
      { word: 'Heal', means: 'takes texture from a source and tone from the edge of the place' },
      { word: 'Fill', means: 'made from all of the surroundings, edges carried through' },
      { word: 'Clone', means: 'copies the source as it is' },
      COVER,
      { word: 'Soft edge', means: 'width over which mend and picture pass into each other, in pixels' },
      { word: 'Left over', means: 'what is still seen of the flaw, in the noise of the place', good: 'below the tick: what places around show by themselves' },
      { word: 'Tone step', means: 'difference of tone across the edge of the mend, in the noise of the place', good: 'below the tick' },
      { word: 'Grain', means: 'grain in the mend over grain around it', good: '0.85 to 1.15' },
      { word: 'Repeat', means: 'how alike mend and source are, where there is something to recognise; 0 to 1', good: 'below 0.9' },
      { word: 'Broken edge', means: 'edges that reach the mend and do not leave it', good: 'below the tick' },
      { word: 'Smear', means: 'how much calmer the mend is than its surroundings, or a rim along its outline, over what the surroundings differ by among themselves', good: 'below the tick' },
      { word: 'Subject', means: 'the mend changes something behind a guard', good: 'no' },
      { word: 'Source', means: 'the source is itself a flaw, or behind a guard', good: 'no' },
    ],
  },
  correct: {
    title: 'Correct',
    purpose: 'Change what covers an area, through a zone, and only there.',
    words: [
      { word: 'Zone', means: 'where the correction acts; softly at its edge' },
      { word: 'Soft', means: 'width of the zone’s edge, in pixels' },
      COVER,
      { word: 'Zone’s edge', means: 'step of tone along the edge of the zone, over what neighbouring tones differ by outside', good: 'below the tick' },
      { word: 'Grain', means: 'grain in the zone over grain around it', good: '0.85 to 1.15' },
      { word: 'Detail lost', means: 'share of the fine structure that was there before and is gone', good: 'below the tick' },
      { word: 'Clipped', means: 'share of the zone that has become pure black or white', good: 'none' },
      { word: 'Left over', means: 'how far the colour of the zone is from what is around it, over what places around differ by; – for a correction that is not meant to make both alike', good: 'below the tick' },
    ],
  },
  rebuild: {
    title: 'Rebuild',
    purpose: 'Draw what is lost, faintly, in groups that can be taken back.',
    words: [
      { word: 'Opacity', means: 'how much of what is under a stroke it covers, in per cent', good: 'low, in several strokes' },
      { word: 'Hard', means: 'share of the pen’s radius that has full cover, in per cent' },
      { word: 'Soft', means: 'blur of the whole group after drawing, in pixels' },
      { word: 'Drawn', means: 'share of the picture that is drawn', good: 'above 1 % the report says so' },
    ],
  },
  finish: {
    title: 'Finish',
    purpose: 'Give the whole picture its tones, its colour and its frame, last of all.',
    words: [
      { word: 'Clipped', means: 'hatched in the picture while black or white moves: tones that become pure black or white' },
      { word: 'Density', means: 'darkness as a densitometer reads it: minus the logarithm to ten of the light; 0 is white, 0.3 half the light' },
      { word: 'L*a*b*', means: 'CIE lightness 0 to 100, green to red, blue to yellow', good: 'a* and b* near 0 on what is grey' },
      { word: 'Halo limit', means: 'how far sharpening may go beyond the tones of the surroundings, in per cent' },
      { word: 'per inch', means: 'pixels of the file on an inch of paper', good: 'the size at which the print was scanned, or smaller' },
    ],
  },
  'hand-over': {
    title: 'Hand over',
    purpose: 'Write what the client gets, and see it before.',
    words: [
      { word: 'px', means: 'width and height of the file after the frame was cut' },
      { word: 'about … MB', means: 'size of the file, from a part of it that was encoded' },
      { word: 'what the format cannot hold', means: 'what is lost in this format: 16 bits, layers, transparency' },
      { word: 'Remark', means: 'pinned to a place, answered, and part of the report' },
    ],
  },
} as const satisfies Record<string, ScreenWords>
export type ExplainedScreen = keyof typeof STAGE_WORDS_EXPLAINED

/** What a word of a screen says, in one sentence or two. */
export function explained(screen: ExplainedScreen, word: string): string {
  const { means, good } = (STAGE_WORDS_EXPLAINED[screen].words as readonly WordRow[]).find((row) => row.word === word)!
  return `${means[0]!.toUpperCase()}${means.slice(1)}.${good ? ` Good: ${good}.` : ''}`
}
