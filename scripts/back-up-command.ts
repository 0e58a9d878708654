import { homeFolder, readSettings } from '../server/settings.js'
import { backUp, restoreBackUp } from './back-up.js'
import { reachCluster } from './postgres.js'

/** `npm run backup -- FOLDER` and `npm run restore -- FOLDER`. */
const [what, folder] = process.argv.slice(2)
if (!folder || (what !== 'backup' && what !== 'restore')) {
  console.error('npm run backup -- FOLDER, or npm run restore -- FOLDER')
  process.exit(2)
}
const settings = readSettings()
const cluster = process.env.FENNIP_DATABASE_URL ? null : await reachCluster(homeFolder)
try {
  const place = { databaseUrl: cluster?.url ?? settings.databaseUrl, storage: settings.storage }
  const { copied } = await (what === 'backup' ? backUp : restoreBackUp)(place, folder)
  console.log(what === 'backup' ? `Backed up to ${folder}; ${copied} files were new.` : `Restored from ${folder}: ${copied} files. Begin Fennip with npm start.`)
} catch (error) {
  console.error(error instanceof Error ? error.message : error)
  process.exitCode = 1
} finally {
  await cluster?.leave()
}
