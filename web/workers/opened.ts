import { openTables } from '@fennip/core/colour/colour-library.js'
import { levelSize } from '@fennip/core/raster/pyramid.js'
import { makeTransfer, type Transfer } from '@fennip/core/raster/transfer.js'
import lcmsFile from 'lcms-wasm/dist/lcms.wasm?url'
import type { Picture } from '../shared/api.js'
import type { ScreenGamut } from '../shared/screen.js'
import { Display } from './display.js'

/** The picture that is open in this worker. */
export let picture: Picture
export let transfer: Transfer
/** From samples of the picture to colours of the screen. */
export let display: Display
export let gamut: ScreenGamut = 'srgb'

/** @param screen  Colours that the screen shows. */
export function setPicture(opened: Picture, screen: ScreenGamut): void {
  picture = opened
  gamut = screen
  transfer = makeTransfer(picture.about.profile.curve, picture.original.depth)
  display = new Display(picture.about.profile, picture.original.depth, gamut)
}

/** Colours of a profile that is made of tables; without the profile itself the closest matrix is shown. */
export async function readTables(): Promise<void> {
  if (!picture.about.profile.isByTables) return
  const profile = await fetch(`/api/originals/${picture.original.sha256}/profile`).catch(() => null)
  if (profile?.ok) display = new Display(picture.about.profile, picture.original.depth, gamut, await openTables(new Uint8Array(await profile.arrayBuffer()), lcmsFile))
}

/** Whole-picture measures are made on at most so many pixels. */
const SMALL_PIXELS = 400_000

/** The level that whole-picture measures are made on. */
export function smallLevel(): number {
  let level = 0
  while (level + 1 < picture.levels && (picture.original.width * picture.original.height) / 4 ** level > SMALL_PIXELS) level++
  return level
}

/** All of a level. */
export const wholeOf = (level: number) => ({ x: 0, y: 0, ...levelSize(picture.original.width, picture.original.height, level) })
