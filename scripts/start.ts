import { homeFolder, readSettings, type Settings } from '../server/settings.js'
import { loadDemo } from '../demo/load.js'
import { buildWeb } from './build-web.js'
import { startServices } from './services.js'

/**
 * `npm start`: everything Fennip needs, with the demo job on the first start. Ctrl+C stops all of it.
 *
 * Run by node itself: tsx's own command kills what does not answer an interrupt within 60 ms, and then nobody would be
 * left to stop the database.
 */

const settings = ((): Settings => {
  try {
    return readSettings()
  } catch (error) {
    console.error(error instanceof Error ? error.message : error)
    process.exit(1)
  }
})()
await buildWeb()
const services = await startServices({ home: homeFolder, port: settings.port })
let stopping = false
const stop = async () => {
  if (stopping) return
  stopping = true
  await services.stop()
  process.exit(0)
}
process.on('SIGINT', () => void stop())
process.on('SIGTERM', () => void stop())
console.log(`Fennip is ready: ${services.address}`)
// The demo's pictures arrive one by one while the application is used already.
if (process.env.FENNIP_DEMO !== 'none' && !settings.signIn) {
  await loadDemo(services.address, (line) => console.log(line)).catch((error: unknown) => console.error(`The demo could not be loaded: ${error instanceof Error ? error.message : String(error)}`))
  console.log('The demo job is complete.')
}
