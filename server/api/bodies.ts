import { Type, type Static } from '@sinclair/typebox'
import { Identifier, OperationSchema, SEARCH_KINDS } from '@fennip/core/treatment/schema.js'

/** What requests may carry: one schema for validation, types and the OpenAPI description. */

const strict = { additionalProperties: false } as const

export const JobBody = Type.Object({ title: Type.String({ minLength: 1, maxLength: 200 }), client: Type.Optional(Type.String({ maxLength: 200 })), notes: Type.Optional(Type.String({ maxLength: 5000 })) }, strict)

export const EditBody = Type.Object(
  {
    revision: Type.Integer({ minimum: 0, description: 'Revision the gesture was made on.' }),
    label: Type.String({ minLength: 1, maxLength: 120 }),
    operations: Type.Array(OperationSchema, { minItems: 1, maxItems: 50 }),
  },
  strict,
)

export const UndoBody = Type.Object(
  { revision: Type.Integer({ minimum: 0 }), times: Type.Optional(Type.Integer({ minimum: 1, maximum: 100000, description: 'How many gestures; 1 when not said.' })) },
  strict,
)

export const FindBody = Type.Object(
  { kinds: Type.Array(Type.Union(SEARCH_KINDS.map((kind) => Type.Literal(kind))), { minItems: 1, uniqueItems: true }), falseFinds: Type.Number({ minimum: 0.1, maximum: 500 }), within: Type.Optional(Identifier), without: Type.Optional(Identifier) },
  strict,
)

export const MendBody = Type.Object({ revision: Type.Integer({ minimum: 0 }) }, strict)

export const ExportBody = Type.Object(
  {
    format: Type.Union([Type.Literal('jpeg'), Type.Literal('png'), Type.Literal('tiff'), Type.Literal('webp')]),
    depth: Type.Union([Type.Literal(8), Type.Literal(16)]),
    quality: Type.Integer({ minimum: 1, maximum: 100 }),
  },
  strict,
)

export const bodySchemas = {
  validateJobBody: JobBody,
  validateEditBody: EditBody,
  validateUndoBody: UndoBody,
  validateFindBody: FindBody,
  validateMendBody: MendBody,
  validateExportBody: ExportBody,
}

export type JobRequest = Static<typeof JobBody>
export type EditRequest = Static<typeof EditBody>
export type UndoRequest = Static<typeof UndoBody>
export type FindRequest = Static<typeof FindBody>
export type ExportRequest = Static<typeof ExportBody>
