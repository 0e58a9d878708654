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
]
