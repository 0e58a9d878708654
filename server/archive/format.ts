import { Type, type Static } from '@sinclair/typebox'
import { OutputsSchema } from '@fennip/core/output/output.js'
import { OperationSchema, OriginalSchema } from '@fennip/core/treatment/schema.js'

/** What stands in the archive of a job: `job.json` beside the files that it names. One schema for writing and taking in. */

const strict = { additionalProperties: false } as const
const Sha256 = Type.String({ pattern: '^[0-9a-f]{64}$' })
/** Inside the archive; never absolute, and never upwards. */
const Path = Type.String({ pattern: '^(originals|treatments|history|charts|files|reports)/[^/\\\\\\x00]{1,240}$' })
const Uuid = Type.String({ pattern: '^[0-9a-f-]{36}$' })

export const HistorySchema = Type.Array(
  Type.Object(
    {
      revision: Type.Integer({ minimum: 1 }), kind: Type.Union([Type.Literal('edit'), Type.Literal('undo'), Type.Literal('redo')]), label: Type.String({ maxLength: 200 }),
      operations: Type.Array(OperationSchema), inverse: Type.Array(OperationSchema), madeAt: Type.String({ maxLength: 40 }),
      gesture: Type.Union([Uuid, Type.Null()]), madeOn: Type.Union([Type.Integer({ minimum: 0 }), Type.Null()]),
    },
    strict,
  ),
)

const PictureSchema = Type.Object(
  {
    name: Type.String({ minLength: 1, maxLength: 240 }),
    kind: Type.Union([Type.Literal('frame'), Type.Literal('scan')]),
    sha256: Sha256,
    original: Path,
    treatment: Path,
    history: Path,
    revision: Type.Integer({ minimum: 0 }),
    sensor: Type.Union([Type.String({ maxLength: 200 }), Type.Null()]),
    setAside: Type.Boolean(),
    looked: Type.Array(Type.Integer({ minimum: 0 })),
    createdAt: Type.String({ maxLength: 40 }),
    files: Type.Array(Type.Object({ path: Path, name: Type.String({ maxLength: 300 }), bytes: Type.Integer({ minimum: 0 }), sha256: Sha256, writtenAt: Type.String({ maxLength: 40 }), width: Type.Optional(Type.Integer()), height: Type.Optional(Type.Integer()) }, strict)),
    time: Type.Array(Type.Object({ stage: Type.String({ maxLength: 40 }), day: Type.String({ pattern: '^\\d{4}-\\d{2}-\\d{2}$' }), seconds: Type.Integer({ minimum: 0 }) }, strict)),
    report: Type.Optional(Path),
  },
  strict,
)

export const JobArchiveSchema = Type.Object(
  {
    format: Type.Literal('fennip-job'),
    version: Type.Literal(1),
    program: Type.String({ maxLength: 80 }),
    writtenAt: Type.String({ maxLength: 40 }),
    job: Type.Object({ title: Type.String({ minLength: 1, maxLength: 200 }), client: Type.String({ maxLength: 200 }), notes: Type.String({ maxLength: 5000 }), outputs: Type.Union([OutputsSchema, Type.Null()]) }, strict),
    originals: Type.Array(Type.Object({ ...OriginalSchema.properties, path: Path, format: Type.String({ maxLength: 20 }), bytes: Type.Integer({ minimum: 0 }), name: Type.String({ maxLength: 240 }), about: Type.Unknown() }, strict)),
    sensors: Type.Array(Type.Object({ name: Type.String({ minLength: 1, maxLength: 200 }), chart: Type.Union([Path, Type.Null()]) }, strict)),
    pictures: Type.Array(PictureSchema, { maxItems: 20000 }),
  },
  strict,
)

export type JobArchive = Static<typeof JobArchiveSchema>
export type ArchivedPicture = JobArchive['pictures'][number]
export type ArchivedHistory = Static<typeof HistorySchema>

/** Documents of an archive, for the validators that are made from schemas. */
export const archiveSchemas = { validateJobArchive: JobArchiveSchema, validateHistory: HistorySchema }
