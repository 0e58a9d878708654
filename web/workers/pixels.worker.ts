import { expose } from 'comlink'
import type { Picture } from '../shared/api.js'
import type { ScreenGamut } from '../shared/screen.js'
import { forgetChains } from './chains.js'
import { measuring } from './measuring.js'
import { mending } from './mending.js'
import { readTables, setPicture } from './opened.js'
import { painting } from './painting.js'
import { editTreatment, forgetTreatment, loadTreatment, takePatches } from './patches.js'
import { forgetTiles } from './tiles.js'

/** One worker of the open picture: its tiles and patches, what is painted, mended and measured with them. */
const worker = {
  ...painting, ...mending, ...measuring,
  /** @param screen  Colours that the screen shows. */
  async open(opened: Picture, screen: ScreenGamut): Promise<void> {
    setPicture(opened, screen)
    forgetTiles()
    forgetTreatment()
    forgetChains()
    await readTables()
  },
  load: loadTreatment,
  edit: editTreatment,
  take: takePatches,
}

export type PixelWorker = typeof worker

expose(worker)
