import { mendableRaster } from '@fennip/core/mend/patches/patch.js'
import { findFlaws } from '@fennip/core/find/find.js'
import { carryOut, decisionsOf } from '@fennip/core/mend/methods.js'
import { rasterSource } from '@fennip/core/raster/raster.js'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { expectedShadow, flawOfMark, flawsOfMarks, placeFrame, placeMarks } from '@fennip/core/series/apply-chart.js'
import { draftChart, expectedPlaces, finishChart, type DustyFrame } from '@fennip/core/series/learn-chart.js'
import { measureMark } from '@fennip/core/series/measure-mark.js'
import { mendAll } from '@fennip/core/mend/picture/mend-all.js'
import { lightOfRender } from '@fennip/demo/photograph.js'
import { dustOfSensor, seriesFrame, SERIES_FRAMES, SERIES_ROOM, type SeriesPhotograph } from '@fennip/demo/series.js'
import { fileURLToPath } from 'node:url'

/**
 * A chart learned from four frames at f/22, 16, 11 and 18, applied to four others at f/8, 14, 20 and 5.6:
 * `npx tsx bench/mending/series.ts [width] [seed]`. Of the marks that can be seen in a frame (weight over 8 there by the truth)
 * the share that is placed and mended; and how far the lifted pixels are from the limit that photon noise sets: the same
 * pixels divided by their true transmission. That is told of single marks, and of all lifted pixels of a frame together.
 */

const WIDTH = Number(process.argv[2] ?? 3000)
const SEED = Number(process.argv[3] ?? 61)
const HEIGHT = Math.round((WIDTH * 2) / 3)
const GRAINS = 60
const FALSE_FINDS = 200
const transfer = makeTransfer({ type: 'srgb' }, 8)

const room = await lightOfRender(fileURLToPath(new URL('../../demo/scenes/pylon.jpg', import.meta.url)), { width: Math.round(WIDTH * SERIES_ROOM), height: Math.round(HEIGHT * SERIES_ROOM), channels: 3, softness: 0.7, detail: 0.16, seed: SEED })
const dust = dustOfSensor(WIDTH, HEIGHT, GRAINS, SEED)
const photographs = SERIES_FRAMES.map((frame, i) => seriesFrame(room, dust, frame, SEED + i))
const sourceOf = (photograph: SeriesPhotograph) => rasterSource(photograph.damaged)
const started = performance.now()
const frames: DustyFrame[] = SERIES_FRAMES.map((frame, i) => ({
  name: frame.name, aperture: frame.aperture, taken: frame.taken, width: photographs[i]!.damaged.width, height: photographs[i]!.damaged.height,
  spots: findFlaws(sourceOf(photographs[i]!), transfer, { kinds: ['dust'], falseFinds: FALSE_FINDS }).flatMap(({ shape, weight }) => (shape.type === 'disc' ? [{ x: shape.x, y: shape.y, r: shape.r, weight }] : [])),
}))
const seconds = () => ((performance.now() - started) / 1000).toFixed(1)
console.log(`Searched ${frames.length} frames of ${((WIDTH * HEIGHT) / 1e6).toFixed(1)} megapixels: ${seconds()} s; spots ${frames.map(({ spots }) => spots.length).join(' ')}`)

const learning = frames.slice(0, 4)
const draft = draftChart(learning)
const chart = finishChart('OT-2', learning, draft, learning.map((frame, i) => expectedPlaces(draft, i, frame).map((place) => measureMark(sourceOf(photographs[i]!), transfer, place))))
const trueMarks = chart.marks.filter((mark) => dust.some((grain) => Math.hypot(grain.x - mark.x, grain.y - mark.y) < 8))
console.log(`Chart of ${chart.marks.length} marks, ${trueMarks.length} of them dust of ${GRAINS} grains; spread ${chart.spread} (true ${((260 * WIDTH) / 6000).toFixed(1)}); scales ${chart.frames.map(({ scale }) => scale.toFixed(5)).join(' ')}; ${seconds()} s`)

/** Weight of a true shadow in its frame: what a matched filter would see, noise of a pixel measured around. */
function trueWeight(photograph: SeriesPhotograph, flaw: SeriesPhotograph['flaws'][number]): number {
  const measured = measureMark(sourceOf(photograph), transfer, { type: 'disc', x: flaw.x, y: flaw.y, r: flaw.r, slack: 0 })
  if (!measured || measured.weight <= 0) return 0
  return (measured.weight * -Math.log(1 - flaw.lost)) / Math.max(1e-6, measured.depth)
}

const overLimit = ({ ours, limit }: { ours: number; limit: number }) => 10 * Math.log10(ours / Math.max(1e-9, limit))

const everywhere = { ours: 0, limit: 0 }
for (let i = 4; i < frames.length; i++) {
  const photograph = photographs[i]!
  const source = sourceOf(photograph)
  const placement = placeFrame(chart, frames[i]!)
  const placed = placeMarks(chart, source, transfer, frames[i]!.aperture, placement)
  const shown = placed.filter(({ state }) => state !== 'absent')
  const visible = photograph.flaws.filter((flaw) => flaw.x > 0 && flaw.y > 0 && flaw.x < WIDTH && flaw.y < HEIGHT && trueWeight(photograph, flaw) > 8)
  const reached = visible.filter((flaw) => shown.some((mark) => Math.hypot(mark.x - flaw.x, mark.y - flaw.y) < Math.max(3, 0.5 * flaw.r)))
  const strange = shown.filter((mark) => !photograph.flaws.some((flaw) => Math.hypot(mark.x - flaw.x, mark.y - flaw.y) < Math.max(3, flaw.r)))
  const known = new Map(placed.map((mark) => [flawOfMark(mark.mark), mark]))
  const pixels = { ...photograph.damaged, data: photograph.damaged.data.slice() }
  const steps = mendAll(mendableRaster(pixels), transfer, flawsOfMarks(placed), { id: ({ id }) => `m-${id}`, expected: ({ id }) => expectedShadow(known.get(id)!) })
  // Error of the lifted pixels in encoded steps, against the clean light, ours and that of the true transmission.
  const errors: number[] = []
  const all = { ours: 0, limit: 0 }
  for (const step of steps) {
    if (step.method !== 'lift' || step.shape.type !== 'disc') continue
    const { region, touched } = carryOut(source, transfer, decisionsOf(step, []))
    let ours = 0
    let limit = 0
    let n = 0
    for (let k = 0; k < touched.length; k++) {
      if (!touched[k]) continue
      const x = region.x + (k % region.width)
      const y = region.y + Math.floor(k / region.width)
      if ((x + 0.5 - step.shape.x) ** 2 + (y + 0.5 - step.shape.y) ** 2 > step.shape.r ** 2) continue
      for (let c = 0; c < 3; c++) {
        const light = photograph.light.channels[c]!.data[y * WIDTH + x]!
        const through = photograph.shaded.channels[c]!.data[y * WIDTH + x]! / light
        const at = 3 * (y * WIDTH + x) + c
        const exact = transfer.encode(transfer.light[photograph.damaged.data[at]!]! / through)
        const truth = transfer.encode(light)
        ours += (pixels.data[at]! - truth) ** 2
        limit += (exact - truth) ** 2
        n++
      }
    }
    if (n > 0) errors.push(overLimit({ ours, limit }))
    all.ours += ours
    all.limit += limit
  }
  everywhere.ours += all.ours
  everywhere.limit += all.limit
  errors.sort((a, b) => a - b)
  const methods = [...new Set(steps.map(({ method }) => method))].map((method) => `${steps.filter((step) => step.method === method).length} ${method}`).join(', ')
  console.log(`f/${frames[i]!.aperture}: scale ${placement.scale.toFixed(5)} (true ${(SERIES_FRAMES[i]!.scale / SERIES_FRAMES[0]!.scale).toFixed(5)}), ${visible.length} can be seen, reached ${reached.length} (${(reached.length / Math.max(1, visible.length)).toFixed(3)}), ${shown.length} shown, ${strange.length} without dust; ${methods}; lifted over the limit: median ${errors[errors.length >> 1]?.toFixed(2)} dB, 90 % ${errors[Math.floor(0.9 * errors.length)]?.toFixed(2)} dB, all pixels together ${overLimit(all).toFixed(2)} dB; ${seconds()} s`)
}
console.log(`All lifted pixels of the four frames together: ${overLimit(everywhere).toFixed(2)} dB over the limit`)
