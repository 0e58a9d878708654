import { Type, type Static, type TSchema } from '@sinclair/typebox'

/**
 * The treatment: everything a restorer decided about a picture. One schema for browser, server, command line and
 * documentation; types, validators and the published JSON Schema are all made from it.
 */

const strict = { additionalProperties: false } as const

/** Begins with a letter or a digit, so that no identifier is the name of something that every object has, as __proto__. */
export const Identifier = Type.String({ pattern: '^[A-Za-z0-9][A-Za-z0-9_-]{0,39}$', description: 'Unique within the treatment.' })
const Coordinate = Type.Number({ minimum: -1e6, maximum: 1e6, description: 'Picture pixels, origin top left, pixel centres at .5.' })
const Point = Type.Tuple([Coordinate, Coordinate])

export const DiscSchema = Type.Object({ type: Type.Literal('disc'), x: Coordinate, y: Coordinate, r: Type.Number({ minimum: 0.5, maximum: 4000 }) }, strict)
export const StrokeSchema = Type.Object(
  { type: Type.Literal('stroke'), points: Type.Array(Point, { minItems: 1, maxItems: 20000 }), width: Type.Number({ minimum: 0.5, maximum: 2000 }) },
  strict,
)
export const OutlineSchema = Type.Object(
  {
    type: Type.Literal('outline'),
    points: Type.Array(Point, { minItems: 3, maxItems: 50000 }),
    holes: Type.Optional(Type.Array(Type.Array(Point, { minItems: 3, maxItems: 50000 }))),
  },
  strict,
)
export const ShapeSchema = Type.Union([DiscSchema, StrokeSchema, OutlineSchema])

/** Stages whose steps are operations of the registry; mends come before them. */
export const OPERATION_STAGES = ['correct', 'rebuild', 'finish'] as const
export type OperationStage = (typeof OPERATION_STAGES)[number]

export const FlawState = Type.Union([Type.Literal('open'), Type.Literal('mended'), Type.Literal('settled'), Type.Literal('left')], {
  description: 'open: nothing done; mended: not yet judged by a person; settled: looked at and content; left: kept on purpose.',
})

/** What can be wrong with a picture; `other` is what a restorer marked without naming it. */
export const FLAW_KINDS = ['dust', 'speck', 'mould', 'hair', 'scratch', 'fold', 'wire', 'loss', 'stain', 'flat', 'smudge', 'moire', 'other'] as const

/** What can be searched for; specks are sharp, bright or dark, mould are soft dark spots in colonies, lines are hairs, scratches, folds and wires, losses are bare paper, tears among them, stains are places off a print's colour, flat are patches without grain, moire are areas with a fine pattern. */
export const SEARCH_KINDS = ['dust', 'speck', 'mould', 'line', 'loss', 'stain', 'flat', 'moire'] as const
export type SearchKind = (typeof SEARCH_KINDS)[number]

export const FlawSchema = Type.Object(
  {
    id: Identifier,
    kind: Type.Union(FLAW_KINDS.map((kind) => Type.Literal(kind)), { description: 'wire: a line that may belong to the picture; other: marked by hand and not named.' }),
    shape: ShapeSchema,
    state: FlawState,
    contrast: Type.Number({ description: 'Mean difference over the deviation of a pixel; negative where darker. 0 when not measured.' }),
    weight: Type.Number({ minimum: 0, description: 'The same summed over the flaw, as a matched filter sees it. 0 when not measured.' }),
    confidence: Type.Number({ minimum: 0, maximum: 1 }),
    unrest: Type.Optional(Type.Number({ minimum: 0, description: 'How restless its surroundings are over what noise alone would make them: about 1 in a plain sky, above 5 near strong edges. Not there when not measured.' })),
    origin: Type.Union([Type.Literal('found'), Type.Literal('hand'), Type.Literal('chart')], { description: 'chart: carried over from other pictures of the same sensor.' }),
  },
  strict,
)

export const ShadowSchema = Type.Object(
  {
    x: Coordinate,
    y: Coordinate,
    radius: Type.Number({ exclusiveMinimum: 0, maximum: 4000 }),
    wobble: Type.Array(Type.Number(), { minItems: 8, maxItems: 8 }),
    profile: Type.Array(Type.Number({ minimum: 0, maximum: 20 }), { minItems: 8, maxItems: 8 }),
    channels: Type.Array(Type.Number({ minimum: 0, maximum: 10 }), { minItems: 1, maxItems: 3 }),
    damping: Type.Number({ minimum: 0, maximum: 4 }),
  },
  { ...strict, description: 'The shadow that was fitted; -ln of the transmission along a profile whose outline wobbles.' },
)

export const TintSchema = Type.Object(
  {
    x: Coordinate,
    y: Coordinate,
    spacing: Type.Number({ exclusiveMinimum: 0, maximum: 1000 }),
    columns: Type.Integer({ minimum: 1, maximum: 4000 }),
    depth: Type.Array(Type.Number({ minimum: -8, maximum: 8 }), { minItems: 1, maxItems: 20000 }),
    channels: Type.Array(Type.Number({ minimum: 0, maximum: 10 }), { minItems: 1, maxItems: 3 }),
  },
  { ...strict, description: 'What a stain takes of the light: -ln of the transmission at the knots of a grid, row by row, linear between.' },
)

const Amplitudes = Type.Array(Type.Number({ minimum: -8, maximum: 8 }), { minItems: 1, maxItems: 20000 })

export const PatternSchema = Type.Object(
  {
    x: Coordinate,
    y: Coordinate,
    spacing: Type.Number({ exclusiveMinimum: 0, maximum: 1000 }),
    columns: Type.Integer({ minimum: 1, maximum: 10000 }),
    waves: Type.Array(Type.Object({ across: Type.Number({ minimum: -4, maximum: 4 }), down: Type.Number({ minimum: -4, maximum: 4 }), real: Amplitudes, imaginary: Amplitudes }, strict), { minItems: 1, maxItems: 8 }),
    channels: Type.Array(Type.Number({ minimum: 0, maximum: 10 }), { minItems: 1, maxItems: 3 }),
  },
  { ...strict, description: 'A fine pattern: waves in radians a pixel, their complex amplitude in the log of the light at the knots of a grid, row by row, linear between.' },
)

export const CoverSchema = Type.Object(
  {
    veil: Type.Array(Type.Number({ minimum: 0, maximum: 8 }), { minItems: 1, maxItems: 3 }),
    opacity: Type.Array(Type.Number({ minimum: 0, maximum: 1 }), { minItems: 2, maxItems: 24 }),
    hidden: Type.Number({ exclusiveMinimum: 0, maximum: 0.95 }),
    damping: Type.Number({ minimum: 0, maximum: 4 }),
    core: Type.Optional(Type.Array(OutlineSchema, { minItems: 1, maxItems: 200 })),
    stepPx: Type.Optional(Type.Number({ exclusiveMinimum: 0, maximum: 100 })),
  },
  { ...strict, description: 'What covers the picture in part: light of its veil, its opacity from the outline inward, or from a core outward.' },
)

const partOf = (what: Record<string, TSchema>, description: string) =>
  Type.Object(
    {
      mode: Type.Union([Type.Literal('add'), Type.Literal('take')], { description: 'Added to what the earlier parts cover, or taken away from it.' }),
      strength: Type.Optional(Type.Number({ minimum: 0, maximum: 1, description: 'How much is added or taken, 1 when not given.' })),
      softEdgePx: Type.Optional(Type.Number({ minimum: 0, maximum: 4000, description: 'Soft edge of this part alone, in place of that of the area: the hardness of a brush.' })),
      ...what,
    },
    { ...strict, description },
  )

export const ShapePartSchema = partOf({ shape: ShapeSchema }, 'A shape: an outline, a painted stroke, a disc.')
export const SlopePartSchema = partOf(
  {
    slope: Type.Union([
      Type.Object({ type: Type.Literal('linear'), from: Point, to: Point }, { ...strict, description: 'Covered wholly at `from` and beyond, not at all at `to` and beyond.' }),
      Type.Object({ type: Type.Literal('radial'), x: Coordinate, y: Coordinate, innerPx: Type.Number({ minimum: 0, maximum: 1e6 }), outerPx: Type.Number({ minimum: 0.5, maximum: 1e6 }) }, { ...strict, description: 'Covered wholly up to the inner radius, not at all from the outer one on.' }),
    ]),
  },
  'A slope from covered to not covered.',
)
const Lightness = Type.Number({ minimum: 0, maximum: 100, description: 'CIE L*.' })
export const RangePartSchema = partOf(
  {
    range: Type.Union([
      Type.Object({ type: Type.Literal('tone'), from: Lightness, to: Lightness, fade: Lightness }, { ...strict, description: 'Lightness from one value to another; it fades over so much on either side.' }),
      Type.Object({ type: Type.Literal('colour'), samples: Type.Array(Type.Tuple([Type.Number({ minimum: 0, maximum: 100 }), Type.Number({ minimum: -160, maximum: 160 }), Type.Number({ minimum: -160, maximum: 160 })]), { minItems: 1, maxItems: 20 }), within: Type.Number({ minimum: 0.5, maximum: 150 }), fade: Type.Number({ minimum: 0, maximum: 150 }) }, { ...strict, description: 'Colours no further from a sample than so much in CIELAB (CIE 1976 difference); it fades over so much beyond.' }),
    ]),
  },
  'A range of tone or colour of the mended picture.',
)
export const MaskPartSchema = partOf(
  { mask: Type.Object({ width: Type.Integer({ minimum: 1, maximum: 100000 }), height: Type.Integer({ minimum: 1, maximum: 100000 }), packed: Type.String({ maxLength: 6_000_000, pattern: '^[A-Za-z0-9+/]*={0,2}$', description: '8 bit values row by row, 255 is inside, each row less the row above modulo 256, compressed by zlib (RFC 1950), in base64 (RFC 4648).' }) }, { ...strict, description: 'Of the size of the picture, or of another that is stretched over it.' }) },
  'An imported grey picture.',
)
export const AreaPartSchema = Type.Union([ShapePartSchema, SlopePartSchema, RangePartSchema, MaskPartSchema])

export const AreaSchema = Type.Object(
  {
    id: Identifier,
    name: Type.String({ minLength: 1, maxLength: 80 }),
    role: Type.Union([Type.Literal('guard'), Type.Literal('zone')], { description: 'guard: no mend and no source crosses its edge; zone: a named mask that steps can use. A guard is made of shapes alone.' }),
    parts: Type.Array(AreaPartSchema, { minItems: 1, maxItems: 2000 }),
    softEdgePx: Type.Number({ minimum: 0, maximum: 500, description: 'Width over which the edge fades; 0 is exactly sharp.' }),
    movedPx: Type.Optional(Type.Number({ minimum: -200, maximum: 200, description: 'How far the edge is moved outward; inward when negative.' })),
    inverted: Type.Optional(Type.Boolean({ description: 'Everything but what the parts cover.' })),
  },
  strict,
)

export const SourceSchema = Type.Object(
  {
    dx: Type.Integer({ minimum: -1e6, maximum: 1e6 }),
    dy: Type.Integer({ minimum: -1e6, maximum: 1e6 }),
    mirror: Type.Optional(Type.Boolean({ description: 'Left and right changed over, before it is turned.' })),
    turn: Type.Optional(Type.Number({ minimum: -7, maximum: 7, description: 'How far the content of the source is turned in place, radians, clockwise on screen.' })),
    scale: Type.Optional(Type.Number({ minimum: 0.1, maximum: 10, description: 'How many times larger the content of the source is laid on.' })),
  },
  { ...strict, description: 'Where a mend takes its pixels: from its own place to the source, in whole pixels.' },
)

export const MeasureSchema = Type.Object(
  {
    value: Type.Number(),
    limit: Type.Number({ description: 'What untouched surroundings show by themselves; for grain half the width of the band round 1.' }),
  },
  strict,
)

export const TelltalesSchema = Type.Object(
  {
    leftover: MeasureSchema,
    toneStep: MeasureSchema,
    grain: MeasureSchema,
    repeat: MeasureSchema,
    // Not measured by the first Fennip, so old treatments have none of these.
    brokenEdge: Type.Optional(MeasureSchema),
    smear: Type.Optional(MeasureSchema),
    subjectTouched: Type.Optional(MeasureSchema),
    taintedSource: MeasureSchema,
  },
  { ...strict, description: 'Measured signs that a mend gives itself away.' },
)

export const StepSchema = Type.Object(
  {
    id: Identifier,
    stage: Type.Literal('mend'),
    flaw: Identifier,
    method: Type.Union([Type.Literal('lift'), Type.Literal('heal'), Type.Literal('clone'), Type.Literal('fill')]),
    methodVersion: Type.Integer({ minimum: 1, maximum: 4 }),
    shape: ShapeSchema,
    softEdgePx: Type.Number({ minimum: 0, maximum: 500 }),
    strength: Type.Number({ minimum: 0, maximum: 1 }),
    seed: Type.Integer({ minimum: 0, maximum: 4294967295, description: 'Which of many equally good fills is made.' }),
    source: Type.Optional(SourceSchema),
    shadow: Type.Optional(ShadowSchema),
    tint: Type.Optional(TintSchema),
    pattern: Type.Optional(PatternSchema),
    cover: Type.Optional(CoverSchema),
    avoid: Type.Optional(Type.Array(ShapeSchema, { maxItems: 400, description: 'Shapes that were open flaws when a fill was chosen: nothing is taken from them.' })),
    guards: Type.Optional(Type.Array(Identifier, { maxItems: 50, description: 'Areas that the mend stops at.' })),
    chosenBy: Type.Union([Type.Literal('fennip'), Type.Literal('hand')]),
    reason: Type.String({ maxLength: 400 }),
    telltales: Type.Optional(TelltalesSchema),
  },
  strict,
)

/** A step that is an operation of the registry: it stands after the mends, in its stage. */
export const OperationStepSchema = Type.Object(
  {
    id: Identifier,
    stage: Type.Union(OPERATION_STAGES.map((stage) => Type.Literal(stage))),
    operation: Type.String({ pattern: '^[a-z][a-z0-9-]{0,39}$', description: 'Name in the registry of operations.' }),
    version: Type.Integer({ minimum: 1, maximum: 1000 }),
    settings: Type.Record(Type.String({ maxLength: 60 }), Type.Unknown(), { description: 'What the user sets, as the schema of the operation says.' }),
    measured: Type.Optional(Type.Unknown({ description: 'What the operation found by looking at the picture once.' })),
    zone: Type.Optional({ ...Identifier, description: 'Area through which it is laid on; the whole picture without.' }),
    strength: Type.Number({ minimum: 0, maximum: 1 }),
    enabled: Type.Boolean(),
    note: Type.Optional(Type.String({ maxLength: 400, description: 'Why it was proposed.' })),
  },
  strict,
)

/** Something to be said about a place, to the client or by the client. */
export const RemarkSchema = Type.Object(
  {
    id: Identifier,
    x: Coordinate,
    y: Coordinate,
    text: Type.String({ minLength: 1, maxLength: 600 }),
    answer: Type.Optional(Type.String({ maxLength: 600 })),
  },
  { ...strict, description: 'A remark pinned to a place, and the answer to it.' },
)

export const OriginalSchema = Type.Object(
  {
    sha256: Type.String({ pattern: '^[0-9a-f]{64}$' }),
    width: Type.Integer({ minimum: 1, maximum: 100000 }),
    height: Type.Integer({ minimum: 1, maximum: 100000 }),
    channels: Type.Union([Type.Literal(1), Type.Literal(3)]),
    depth: Type.Union([Type.Literal(8), Type.Literal(16)]),
  },
  { ...strict, description: 'The picture the treatment was made on; width and height as seen upright.' },
)

export const TreatmentSchema = Type.Object(
  {
    format: Type.Literal('fennip-treatment'),
    version: Type.Literal(1),
    original: OriginalSchema,
    flaws: Type.Array(FlawSchema),
    steps: Type.Array(StepSchema, { description: 'In the order in which they are made; each sees the earlier ones.' }),
    areas: Type.Optional(Type.Array(AreaSchema, { description: 'Guards and zones.' })),
    operations: Type.Optional(Type.Array(OperationStepSchema, { description: 'Corrections, rebuilt detail and finish on the mended picture: stage by stage, inside a stage in this order.' })),
    remarks: Type.Optional(Type.Array(RemarkSchema, { maxItems: 500, description: 'Remarks pinned to places; they change no pixel and stand in the report.' })),
  },
  { ...strict, $id: 'https://fennip.invalid/schema/treatment-1.json', title: 'Fennip treatment' },
)

export type Flaw = Static<typeof FlawSchema>
export type Step = Static<typeof StepSchema>
export type Remark = Static<typeof RemarkSchema>
export type OperationStep = Static<typeof OperationStepSchema>
type AreaPartBase = { mode: 'add' | 'take'; strength?: number; softEdgePx?: number }
export type ShapePart = AreaPartBase & { shape: Static<typeof ShapeSchema> }
export type SlopePart = AreaPartBase & { slope: { type: 'linear'; from: [number, number]; to: [number, number] } | { type: 'radial'; x: number; y: number; innerPx: number; outerPx: number } }
export type RangePart = AreaPartBase & { range: { type: 'tone'; from: number; to: number; fade: number } | { type: 'colour'; samples: [number, number, number][]; within: number; fade: number } }
export type MaskPart = AreaPartBase & { mask: { width: number; height: number; packed: string } }
export type AreaPart = ShapePart | SlopePart | RangePart | MaskPart
export type Area = Omit<Static<typeof AreaSchema>, 'parts'> & { parts: AreaPart[] }
export type Source = Static<typeof SourceSchema>
export type Telltales = Static<typeof TelltalesSchema>
export type TelltaleName = keyof Telltales
export type Measure = Static<typeof MeasureSchema>
export type Original = Static<typeof OriginalSchema>
export type Treatment = Omit<Static<typeof TreatmentSchema>, 'areas'> & { areas?: Area[] }
/** What of a treatment decides over pixels. */
export type Plan = { readonly original: Original; readonly steps: readonly Step[]; readonly areas?: readonly Area[] | undefined; readonly operations?: readonly OperationStep[] | undefined }

const listOf = (list: ListName, item: typeof FlawSchema | typeof StepSchema | typeof AreaSchema | typeof OperationStepSchema | typeof RemarkSchema) => [
  Type.Object({ type: Type.Literal('put'), list: Type.Literal(list), items: Type.Array(item, { maxItems: 20000 }), at: Type.Optional(Type.Array(Type.Integer({ minimum: 0 }))) }, strict),
  Type.Object({ type: Type.Literal('remove'), list: Type.Literal(list), ids: Type.Array(Identifier, { maxItems: 20000 }) }, strict),
]

/** The lists a treatment is made of. */
export type ListName = 'flaws' | 'steps' | 'areas' | 'operations' | 'remarks'

/** One change of a treatment; a gesture is a list of them. */
export const OperationSchema = Type.Union([
  ...listOf('flaws', FlawSchema),
  ...listOf('steps', StepSchema),
  ...listOf('areas', AreaSchema),
  ...listOf('operations', OperationStepSchema),
  ...listOf('remarks', RemarkSchema),
  Type.Object({ type: Type.Literal('setState'), ids: Type.Array(Identifier, { maxItems: 20000 }), state: FlawState }, strict),
])

export type Operation =
  | { type: 'put'; list: 'flaws'; items: Flaw[]; at?: number[] }
  | { type: 'put'; list: 'steps'; items: Step[]; at?: number[] }
  | { type: 'put'; list: 'areas'; items: Area[]; at?: number[] }
  | { type: 'put'; list: 'operations'; items: OperationStep[]; at?: number[] }
  | { type: 'put'; list: 'remarks'; items: Remark[]; at?: number[] }
  | { type: 'remove'; list: ListName; ids: string[] }
  | { type: 'setState'; ids: string[]; state: Flaw['state'] }

export const FindsSchema = Type.Object(
  {
    width: Type.Integer({ minimum: 1 }),
    height: Type.Integer({ minimum: 1 }),
    flaws: Type.Array(Type.Object({ kind: Type.String(), shape: ShapeSchema, contrast: Type.Optional(Type.Number()), weight: Type.Optional(Type.Number()), confidence: Type.Optional(Type.Number()) })),
  },
  { $id: 'https://fennip.invalid/schema/finds-1.json', title: 'Fennip finds' },
)
export type FindsDocument = Static<typeof FindsSchema>
