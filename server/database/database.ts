import knexLibrary, { type Knex } from 'knex'
import { migrations } from './migrations.js'

export type Database = Knex

/** Connections to PostgreSQL. */
export function openDatabase(url: string): Database {
  return knexLibrary.knex({
    client: 'pg',
    connection: { connectionString: url, connectionTimeoutMillis: 3000, application_name: 'fennip' },
    pool: { min: 0, max: 8, acquireTimeoutMillis: 4000 },
  })
}

/** Bring the tables to what this version needs. */
export async function migrate(database: Database): Promise<void> {
  await database.migrate.latest({
    migrationSource: {
      getMigrations: async () => migrations,
      getMigrationName: (migration: (typeof migrations)[number]) => migration.name,
      getMigration: async (migration: (typeof migrations)[number]) => migration,
    },
  })
}
