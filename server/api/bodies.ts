import { Type, type Static, type TSchema } from '@sinclair/typebox'
import type { BatchKind } from '../runs/batches.js'
import { OutputSchema, OutputsSchema } from '@fennip/core/output/output.js'
import { STAGE_WORDS } from '@fennip/core/treatment/words.js'
import { Identifier, OperationSchema, SEARCH_KINDS, TreatmentSchema } from '@fennip/core/treatment/schema.js'
import { LEAST_PASSWORD, ROLES } from '@fennip/core/accounts.js'
import { DISPOSABLE } from '../jobs/disposable.js'

/** What requests may carry: one schema for validation, types and the OpenAPI description. */

const strict = { additionalProperties: false } as const
const Uuid = Type.String({ pattern: '^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$' })
const GestureId = Type.Optional({ ...Uuid, description: 'Of the gesture. When its answer was lost it is sent again with the same identifier, made once, and answered as it was.' })

export const JobBody = Type.Object({ title: Type.String({ minLength: 1, maxLength: 200 }), client: Type.Optional(Type.String({ maxLength: 200 })), notes: Type.Optional(Type.String({ maxLength: 5000 })) }, strict)

export const EditBody = Type.Object(
  {
    id: GestureId,
    revision: Type.Integer({ minimum: 0, maximum: 2 ** 31 - 1, description: 'Revision the gesture was made on.' }),
    label: Type.String({ minLength: 1, maxLength: 120 }),
    operations: Type.Array(OperationSchema, { minItems: 1, maxItems: 50 }),
  },
  strict,
)

export const UndoBody = Type.Object(
  { id: GestureId, revision: Type.Integer({ minimum: 0, maximum: 2 ** 31 - 1, description: 'Newest revision that was seen; refused when there is a newer one.' }), times: Type.Optional(Type.Integer({ minimum: 1, maximum: 100000, description: 'How many gestures; 1 when not said.' })) },
  strict,
)

export const FindBody = Type.Object(
  { kinds: Type.Array(Type.Union(SEARCH_KINDS.map((kind) => Type.Literal(kind))), { minItems: 1, uniqueItems: true }), falseFinds: Type.Number({ minimum: 0.1, maximum: 500 }), within: Type.Optional(Identifier), without: Type.Optional(Identifier),
    like: Type.Optional({ ...Identifier, description: 'Only flaws that look like this one, and fainter ones than else; what is there stays.' }) },
  strict,
)

export const MendBody = Type.Object({ revision: Type.Integer({ minimum: 0, maximum: 2 ** 31 - 1, description: 'Newest revision that was seen; refused when there is a newer one.' }) }, strict)

export const ExportBody = Type.Object(
  {
    outputs: Type.Optional({ ...OutputsSchema, description: 'Files that are written; those kept for the job when not given.' }),
    report: Type.Optional(Type.Array(Type.Union([Type.Literal('pdf'), Type.Literal('html')]), { uniqueItems: true, maxItems: 2, description: 'Forms in which the report is written beside them.' })),
  },
  strict,
)
export const PreviewBody = Type.Object({ output: OutputSchema }, strict)
export const TimeBody = Type.Object({ stage: Type.Union(Object.keys(STAGE_WORDS).map((stage) => Type.Literal(stage))), seconds: Type.Integer({ minimum: 1, maximum: 600 }) }, strict)
export const SpaceBody = Type.Object({ throwAway: Type.Union(DISPOSABLE.map((what) => Type.Literal(what)), { description: 'mends are made again when they are asked for, files and archives when they are written again.' }) }, strict)
export const OpenTreatmentBody = Type.Object({ revision: Type.Integer({ minimum: 0, maximum: 2 ** 31 - 1, description: 'Newest revision that was seen; refused when there is a newer one.' }), treatment: Type.Object(TreatmentSchema.properties, strict) }, strict)
export const KeptOutputsBody = Type.Object({ outputs: OutputsSchema }, strict)

const PlacementBody = Type.Object({ turnDegrees: Type.Number({ minimum: -360, maximum: 360 }), dx: Type.Number({ minimum: -1e5, maximum: 1e5 }), dy: Type.Number({ minimum: -1e5, maximum: 1e5 }) }, { ...strict, description: 'How a piece is turned about the middle of its box, clockwise on screen, and moved.' })
export const FitBody = Type.Object(
  {
    byHand: Type.Optional(Type.Array(Type.Object({ piece: Type.Integer({ minimum: 1, maximum: 7 }), ...PlacementBody.properties }, strict), { maxItems: 7, description: 'Pieces that were put somewhere by hand.' })),
    refit: Type.Optional(Type.Boolean({ description: 'Whether those are fitted from there; true when not said.' })),
  },
  strict,
)
export const JoinBody = Type.Object({ pieces: Type.Array(Type.Object({ placement: PlacementBody, gain: Type.Number({ minimum: 0.5, maximum: 2 }) }, strict), { minItems: 2, maxItems: 8, description: 'In the order in which they were found.' }) }, strict)

export const LayTogetherBody = Type.Object({ pictures: Type.Array(Uuid, { minItems: 2, maxItems: 8, uniqueItems: true, description: 'Scans with pieces of one print, this picture among them.' }) }, strict)

export const MergeBody = Type.Object(
  {
    pictures: Type.Array(Uuid, { minItems: 2, maxItems: 9, uniqueItems: true, description: 'The exposures, the reference among them.' }),
    chosen: Type.Optional(Type.Array(Type.Union([Type.Integer({ minimum: 0, maximum: 8 }), Type.Null()]), { maxItems: 500, description: 'Which exposure each moving thing is taken from, in the order in which they were found; null where Fennip chooses.' })),
    zones: Type.Optional(Type.Array(Type.Object({ zone: Identifier, from: Type.Integer({ minimum: 0, maximum: 8 }) }, strict), { maxItems: 50, description: 'Zones of the reference that are taken from one exposure, moved or not.' })),
  },
  strict,
)

export const BringOverBody = Type.Object({ from: Uuid, zone: { ...Identifier, description: 'Zone of the picture that is filled from the other.' } }, strict)

const batchOf = <K extends string>(kind: K, parameters: TSchema) => Type.Object({ kind: Type.Literal(kind), pictures: Type.Array(Uuid, { minItems: 1, maxItems: 5000, uniqueItems: true }), parameters }, strict)

export const BatchBody = Type.Union(
  [
    batchOf('find', Type.Object({ kinds: Type.Optional(FindBody.properties.kinds), falseFinds: FindBody.properties.falseFinds }, strict)),
    batchOf('mend', Type.Object({}, strict)),
    batchOf('export', ExportBody),
    batchOf('chart', Type.Object({ sensor: Uuid }, strict)),
    batchOf('carry', Type.Object({ from: Uuid, flaws: Type.Optional(Type.Array(Identifier, { minItems: 1, maxItems: 20000 })) }, strict)),
  ],
  { description: 'The same work on many pictures; a search without kinds looks for what is usual in each.' },
)

export const LearnBody = Type.Object({ pictures: Type.Array(Uuid, { minItems: 1, maxItems: 5000, uniqueItems: true }) }, strict)
export const SensorNameBody = Type.Object({ name: Type.String({ maxLength: 200, description: 'Name of the camera body; empty for none.' }) }, strict)
export const AsideBody = Type.Object({ aside: Type.Boolean() }, strict)
export const LookedBody = Type.Object({ cells: Type.Array(Type.Integer({ minimum: 0, maximum: 10_000_000 }), { maxItems: 20000, description: 'Cells of 128 pixels, row by row, that were looked at; none begins the round anew.' }) }, strict)
export const SignInBody = Type.Object({ name: Type.String({ minLength: 1, maxLength: 100 }), password: Type.String({ minLength: 1, maxLength: 200 }) }, strict)
const NewPassword = Type.String({ minLength: LEAST_PASSWORD, maxLength: 200 })
export const AccountBody = Type.Object({ name: Type.String({ minLength: 1, maxLength: 100 }), password: NewPassword, role: Type.Union(ROLES.map((role) => Type.Literal(role)), { description: 'An owner changes, a viewer looks.' }), code: Type.Optional(Type.String({ maxLength: 20, description: 'For the first account: what the server wrote to its log.' })) }, strict)
export const PasswordBody = Type.Object({ password: Type.String({ minLength: 1, maxLength: 200 }), newPassword: NewPassword }, strict)
export const NothingBody = Type.Object({}, strict)

export const bodySchemas = {
  validateBatchBody: BatchBody,
  validateLearnBody: LearnBody,
  validateSensorNameBody: SensorNameBody,
  validateAsideBody: AsideBody,
  validateLookedBody: LookedBody,
  validateNothingBody: NothingBody,
  validateSignInBody: SignInBody,
  validateAccountBody: AccountBody,
  validatePasswordBody: PasswordBody,
  validateJobBody: JobBody,
  validateEditBody: EditBody,
  validateUndoBody: UndoBody,
  validateFindBody: FindBody,
  validateMendBody: MendBody,
  validateExportBody: ExportBody,
  validateKeptOutputsBody: KeptOutputsBody,
  validatePreviewBody: PreviewBody,
  validateOpenTreatmentBody: OpenTreatmentBody,
  validateTimeBody: TimeBody,
  validateSpaceBody: SpaceBody,
  validateFitBody: FitBody,
  validateJoinBody: JoinBody,
  validateLayTogetherBody: LayTogetherBody,
  validateMergeBody: MergeBody,
  validateBringOverBody: BringOverBody,
}

export type AccountRequest = Static<typeof AccountBody>
export type PasswordRequest = Static<typeof PasswordBody>
export type JobRequest = Static<typeof JobBody>
export type EditRequest = Static<typeof EditBody>
export type UndoRequest = Static<typeof UndoBody>
export type FindRequest = Static<typeof FindBody>
export type ExportRequest = Static<typeof ExportBody>
export interface BatchRequest { kind: BatchKind; pictures: string[]; parameters: Record<string, unknown> }
export type LearnRequest = Static<typeof LearnBody>
export type SensorNameRequest = Static<typeof SensorNameBody>
export type AsideRequest = Static<typeof AsideBody>
export type LookedRequest = Static<typeof LookedBody>
