import type { Knex } from 'knex'

interface NamedMigration {
  readonly name: string
  up(knex: Knex): Promise<void>
  down(knex: Knex): Promise<void>
}

/** In order; a migration that has been released is never changed. */
export const migrations: NamedMigration[] = [
  {
    name: '001-first-slice',
    async up(knex) {
      await knex.schema.createTable('jobs', (table) => {
        table.uuid('id').primary()
        table.text('title').notNullable()
        table.text('client').notNullable().defaultTo('')
        table.text('notes').notNullable().defaultTo('')
        table.timestamp('created_at').notNullable().defaultTo(knex.fn.now())
      })
      await knex.schema.createTable('originals', (table) => {
        table.text('sha256').primary()
        table.text('format').notNullable()
        table.integer('width').notNullable()
        table.integer('height').notNullable()
        table.integer('channels').notNullable()
        table.integer('depth').notNullable()
        table.bigInteger('bytes').notNullable()
        table.jsonb('about').notNullable()
        table.timestamp('created_at').notNullable().defaultTo(knex.fn.now())
      })
      await knex.schema.createTable('pictures', (table) => {
        table.uuid('id').primary()
        table.uuid('job_id').notNullable().references('jobs.id').onDelete('CASCADE')
        table.text('original').notNullable().references('originals.sha256')
        table.text('name').notNullable()
        table.text('kind').notNullable()
        table.integer('revision').notNullable().defaultTo(0)
        table.jsonb('counts').notNullable().defaultTo('{}')
        table.timestamp('created_at').notNullable().defaultTo(knex.fn.now())
        table.index('job_id')
      })
      await knex.schema.createTable('history', (table) => {
        table.uuid('picture_id').notNullable().references('pictures.id').onDelete('CASCADE')
        table.integer('revision').notNullable()
        table.text('kind').notNullable()
        table.text('label').notNullable()
        table.jsonb('operations').notNullable()
        table.jsonb('inverse').notNullable()
        table.timestamp('made_at').notNullable().defaultTo(knex.fn.now())
        table.primary(['picture_id', 'revision'])
      })
      await knex.schema.createTable('snapshots', (table) => {
        table.uuid('picture_id').notNullable().references('pictures.id').onDelete('CASCADE')
        table.integer('revision').notNullable()
        table.jsonb('treatment').notNullable()
        table.primary(['picture_id', 'revision'])
      })
      await knex.schema.createTable('runs', (table) => {
        table.uuid('id').primary()
        table.text('kind').notNullable()
        table.uuid('picture_id').notNullable().references('pictures.id').onDelete('CASCADE')
        table.jsonb('parameters').notNullable()
        table.text('state').notNullable().defaultTo('queued')
        table.float('progress').notNullable().defaultTo(0)
        table.boolean('cancel_wanted').notNullable().defaultTo(false)
        table.integer('attempts').notNullable().defaultTo(0)
        table.uuid('holder')
        table.timestamp('heartbeat_at')
        table.jsonb('result')
        table.jsonb('problem')
        table.timestamp('created_at').notNullable().defaultTo(knex.fn.now())
        table.timestamp('ended_at')
        table.index(['picture_id', 'created_at'])
        table.index(['state', 'heartbeat_at'])
      })
    },
    async down(knex) {
      for (const table of ['runs', 'snapshots', 'history', 'pictures', 'originals', 'jobs']) await knex.schema.dropTable(table)
    },
  },
  {
    name: '002-batches-and-sensors',
    async up(knex) {
      await knex.schema.createTable('sensors', (table) => {
        table.uuid('id').primary()
        table.uuid('job_id').notNullable().references('jobs.id').onDelete('CASCADE')
        table.text('name').notNullable()
        table.jsonb('chart')
        table.timestamp('created_at').notNullable().defaultTo(knex.fn.now())
        table.unique(['job_id', 'name'])
      })
      await knex.schema.createTable('batches', (table) => {
        table.uuid('id').primary()
        table.uuid('job_id').notNullable().references('jobs.id').onDelete('CASCADE')
        table.text('kind').notNullable()
        table.boolean('paused').notNullable().defaultTo(false)
        table.timestamp('created_at').notNullable().defaultTo(knex.fn.now())
        table.index(['job_id', 'created_at'])
      })
      await knex.schema.alterTable('runs', (table) => {
        table.uuid('batch_id').references('batches.id').onDelete('CASCADE')
        table.index('batch_id')
      })
      await knex.schema.alterTable('pictures', (table) => {
        table.uuid('sensor_id').references('sensors.id').onDelete('SET NULL')
        table.boolean('set_aside').notNullable().defaultTo(false)
        table.jsonb('looked').notNullable().defaultTo('[]')
      })
      // Frames that are there already belong to the body that their file names.
      await knex.raw(`insert into sensors (id, job_id, name)
        select gen_random_uuid(), job_id, body from (
          select distinct job_id, about->'camera'->>'body' as body from pictures join originals on originals.sha256 = pictures.original where kind = 'frame'
        ) bodies where body is not null`)
      await knex.raw(`update pictures set sensor_id = sensors.id from originals, sensors
        where originals.sha256 = pictures.original and sensors.job_id = pictures.job_id and pictures.kind = 'frame' and sensors.name = originals.about->'camera'->>'body'`)
    },
    async down(knex) {
      await knex.schema.alterTable('pictures', (table) => table.dropColumns('sensor_id', 'set_aside', 'looked'))
      await knex.schema.alterTable('runs', (table) => table.dropColumn('batch_id'))
      await knex.schema.dropTable('batches')
      await knex.schema.dropTable('sensors')
    },
  },
  {
    name: '003-arrivals-and-gestures',
    async up(knex) {
      await knex.schema.alterTable('pictures', (table) => {
        // A picture without an original is arriving.
        table.text('original').nullable().alter()
        table.text('upload').unique()
        table.timestamp('deleted_at')
      })
      await knex.schema.alterTable('jobs', (table) => {
        table.timestamp('deleted_at')
      })
      await knex.schema.alterTable('history', (table) => {
        table.uuid('gesture')
        table.integer('made_on')
        table.unique(['picture_id', 'gesture'])
      })
    },
    async down(knex) {
      await knex.schema.alterTable('history', (table) => table.dropColumns('gesture', 'made_on'))
      await knex.schema.alterTable('jobs', (table) => table.dropColumn('deleted_at'))
      await knex('pictures').whereNull('original').delete()
      await knex.schema.alterTable('pictures', (table) => {
        table.dropColumns('upload', 'deleted_at')
        table.text('original').notNullable().alter()
      })
    },
  },
  {
    name: '004-hand-over',
    async up(knex) {
      await knex.schema.alterTable('jobs', (table) => {
        // Files that are written for its pictures; those of the product when null.
        table.jsonb('outputs')
      })
      await knex.schema.alterTable('runs', (table) => {
        // Work on a whole job has no picture.
        table.uuid('picture_id').nullable().alter()
        table.uuid('job_id').references('jobs.id').onDelete('CASCADE')
        table.index(['job_id', 'created_at'])
      })
      await knex.schema.createTable('time_spent', (table) => {
        table.uuid('picture_id').notNullable().references('pictures.id').onDelete('CASCADE')
        table.text('stage').notNullable()
        table.date('day').notNullable()
        table.integer('seconds').notNullable()
        table.primary(['picture_id', 'stage', 'day'])
      })
    },
    async down(knex) {
      await knex.schema.dropTable('time_spent')
      await knex('runs').whereNull('picture_id').delete()
      await knex.schema.alterTable('runs', (table) => {
        table.dropColumn('job_id')
        table.uuid('picture_id').notNullable().alter()
      })
      await knex.schema.alterTable('jobs', (table) => table.dropColumn('outputs'))
    },
  },
  {
    name: '005-accounts',
    async up(knex) {
      await knex.schema.createTable('accounts', (table) => {
        table.uuid('id').primary()
        table.text('name').notNullable().unique()
        table.text('role').notNullable()
        table.text('password').notNullable()
        table.timestamp('created_at').notNullable().defaultTo(knex.fn.now())
      })
      // As the store of sessions, connect-pg-simple, has it.
      await knex.schema.createTable('sessions', (table) => {
        table.text('sid').primary()
        table.json('sess').notNullable()
        table.timestamp('expire', { precision: 6, useTz: false }).notNullable().index()
      })
    },
    async down(knex) {
      await knex.schema.dropTable('sessions')
      await knex.schema.dropTable('accounts')
    },
  },
]
