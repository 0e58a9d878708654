import { proposeFinish } from '../core/finish/propose.js'
import { makeOperationStep } from '../core/pipeline/make-step.js'
import { differenceCiede2000 } from '../core/colour/colour-difference.js'
import { labOfXyz } from '../core/colour/lab.js'
import { srgbProfile } from '../core/colour/profile.js'
import { halve, rasterLevels } from '../core/raster/pyramid.js'
import { crop, type IntegerRaster } from '../core/raster/raster.js'
import { makeTransfer } from '../core/raster/transfer.js'
import { Chain, contextOf } from '../core/pipeline/chain.js'
import { rounded, toFloat } from '../core/render/samples.js'
import { emptyTreatment } from '../core/treatment/edit.js'
import { furtherPhotographs, openPhotographs } from './open-photographs.js'

/**
 * Known fading undone by what `finish --set auto=true` proposes: mean CIEDE2000 to the photograph before it faded, before
 * and after. The fading is made here by formulas that share nothing with the operation that undoes it: each channel's
 * encoded value is raised to a power and laid between a veil and a yellowed white.
 */

const profile = srgbProfile(false)
const FADINGS = {
  brown: { power: [0.92, 1.02, 1.12], low: [0.2, 0.15, 0.12], high: [0.96, 0.88, 0.72] },
  magenta: { power: [0.95, 1.05, 0.97], low: [0.24, 0.12, 0.2], high: [0.97, 0.84, 0.9] },
  pale: { power: [1, 1, 1], low: [0.27, 0.26, 0.25], high: [0.9, 0.9, 0.87] },
} as const

function faded({ width, height, channels, data }: IntegerRaster, { power, low, high }: (typeof FADINGS)[keyof typeof FADINGS]): IntegerRaster {
  const result = new Uint8Array(data.length)
  for (let i = 0; i < data.length; i++) {
    const c = i % 3
    result[i] = Math.round(255 * (low[c]! + (high[c]! - low[c]!) * (data[i]! / 255) ** power[c]!))
  }
  return { width, height, channels, data: result }
}

const decode = makeTransfer(profile.curve, 8).light
const labOf = (data: ArrayLike<number>, i: number) => {
  const light = [decode[data[i]!]!, decode[data[i + 1]!]!, decode[data[i + 2]!]!]
  const m = profile.toXyz!
  return labOfXyz([0, 3, 6].map((row) => m[row]! * light[0]! + m[row + 1]! * light[1]! + m[row + 2]! * light[2]!) as [number, number, number])
}
function difference(a: IntegerRaster, b: IntegerRaster): number {
  let sum = 0
  let n = 0
  for (let i = 0; i < a.data.length; i += 3 * 37, n++) sum += differenceCiede2000(labOf(a.data, i), labOf(b.data, i))
  return sum / n
}

const all = [...(await openPhotographs()), ...(await furtherPhotographs())].filter(({ raster }) => raster.channels === 3 && raster.data instanceof Uint8Array)
const named = process.argv.slice(2)
const chosen = named.length > 0 ? all.filter(({ name }) => named.includes(name)) : all.filter(({ name }) => ['chelsea.png', 'coffee.png', 'motorcycle_left.png', 'rocket.jpg', 'fruits.jpg', 'building.jpg', 'home.jpg', 'butterfly.jpg'].includes(name))
let halved = 0
let count = 0
for (const { name, raster } of chosen) {
  for (const [word, fading] of Object.entries(FADINGS)) {
    const harmed = faded(raster, fading)
    let small = harmed
    while (small.width * small.height > 400_000) small = halve(small, makeTransfer(profile.curve, 8))
    const base = { width: raster.width, height: raster.height, channels: 3 as const, profile }
    const context = contextOf(base)
    const survey = new Chain(base, {}).survey(undefined, rasterLevels(harmed, makeTransfer(base.profile.curve, 8)).read)
    const operations = proposeFinish(toFloat(small), context).map(({ operation, settings }, i) => makeOperationStep(`s${i}`, operation, settings, survey, context))
    const chain = new Chain(base, { ...emptyTreatment({ sha256: '0'.repeat(64), width: raster.width, height: raster.height, channels: 3, depth: 8 }), operations })
    const undone = chain.isEmpty ? harmed : rounded(chain.deliver({ x: 0, y: 0, width: raster.width, height: raster.height }, 0, (region) => crop(harmed, region)), 8)
    const [before, after] = [difference(raster, harmed), difference(raster, undone)]
    count++
    if (after <= before / 2) halved++
    console.log(`${name.padEnd(22)} ${word.padEnd(8)} ${before.toFixed(2)} -> ${after.toFixed(2)}  (${(after / before).toFixed(2)})  ${operations.map(({ operation }) => operation).join(', ')}`)
  }
}
console.log(`${halved} of ${count} at least halved`)
