import { createRequire } from 'node:module'
import type cvModule from '@techstark/opencv-js'
import { mergeExposures } from '../core/assemble/bracket/merge.js'
import { makeRandom } from '../core/random.js'
import { makeRaster, type IntegerRaster, type Plane } from '../core/raster/raster.js'
import { alignedPlace, alignPictures } from '../core/rescan/align.js'
import { openPhotographs } from './open-photographs.js'

/**
 * Brackets of open photographs: their light spread over some five stops more by a smooth field, exposed at a quarter, once
 * and four times, handheld (turned up to 1.5 degrees, moved up to 12 pixels), with noise and a disc that moves. Against the
 * exposure fusion of the computer-vision library (Mertens, Kautz and van Reeth 2007) after its own alignment (Ward 2003) in
 * the same run. Nothing here is code of the merge.
 *
 *   node --import tsx bench/merge.ts
 */

const cv = createRequire(import.meta.url)('@techstark/opencv-js') as typeof cvModule & Record<string, new (...values: number[]) => { process(...values: unknown[]): void; delete(): void }>
if (!cv.Mat) await new Promise<void>((resolve) => (cv.onRuntimeInitialized = () => resolve()))

const decode = (v: number) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4)
const encode = (v: number) => (v <= 0.0031308 ? 12.92 * v : 1.055 * v ** (1 / 2.4) - 0.055)
const GAINS = [0.25, 1, 4]
const REFERENCE = 1
const RADIUS = 16
/** Places nearer to the edge are not counted: some exposures have nothing there. */
const MARGIN = 24

interface Pose { readonly turn: number; readonly dx: number; readonly dy: number }
interface Scene { readonly width: number; readonly height: number; readonly light: Float32Array }

function sceneOf(photograph: IntegerRaster, phase: number): Scene {
  const { width, height, channels, data } = photograph
  const light = new Float32Array(3 * width * height)
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      const field = 2 ** (2.3 * Math.sin((3.1 * x) / width + phase) * Math.cos((2.7 * y) / height - phase))
      for (let c = 0; c < 3; c++) light[3 * i + c] = field * decode(data[i * channels + (channels === 1 ? 0 : c)]! / 255)
    }
  }
  return { width, height, light }
}

const movedBy = ({ turn, dx, dy }: Pose, { width, height }: Scene, x: number, y: number): [number, number] => {
  const [c, s, px, py] = [Math.cos(turn), Math.sin(turn), x - width / 2, y - height / 2]
  return [width / 2 + c * px - s * py + dx, height / 2 + s * px + c * py + dy]
}

/** What a camera makes of the scene, with a disc of middle grey at a place; without one where that is null. */
function exposed(scene: Scene, pose: Pose, gain: number, disc: readonly [number, number] | null, seed: number): IntegerRaster {
  const { width, height, light } = scene
  const raster = makeRaster(width, height, 3, 8)
  const { uniform } = makeRandom(seed)
  const [c, s] = [Math.cos(pose.turn), Math.sin(pose.turn)]
  for (let y = 0, i = 0; y < height; y++) {
    for (let x = 0; x < width; x++, i++) {
      const [px, py] = [x + 0.5 - pose.dx - width / 2, y + 0.5 - pose.dy - height / 2]
      const [sx, sy] = [width / 2 + c * px + s * py, height / 2 - s * px + c * py]
      const isDisc = disc !== null && Math.hypot(sx - disc[0], sy - disc[1]) < RADIUS
      const [fx, fy] = [Math.max(0, Math.min(width - 1.001, sx - 0.5)), Math.max(0, Math.min(height - 1.001, sy - 0.5))]
      const [ix, iy] = [Math.floor(fx), Math.floor(fy)]
      const [u, v] = [fx - ix, fy - iy]
      for (let k = 0; k < 3; k++) {
        const at = 3 * (iy * width + ix) + k
        const smooth = (1 - v) * ((1 - u) * light[at]! + u * light[at + 3]!) + v * ((1 - u) * light[at + 3 * width]! + u * light[at + 3 * width + 3]!)
        const noise = (uniform() + uniform() + uniform() + uniform() - 2) * 2.6
        raster.data[3 * i + k] = Math.max(0, Math.min(255, Math.round(255 * encode(Math.min(1.2, gain * (isDisc ? 0.35 : smooth))) + noise)))
      }
    }
  }
  return raster
}

const brightness = ({ width, height, data }: IntegerRaster): Plane => ({ width, height, data: Float32Array.from({ length: width * height }, (_, i) => (data[3 * i]! + data[3 * i + 1]! + data[3 * i + 2]!) / 765) })

/** Share of the pixels in which nothing is told any more: all of it white, or black. Values 0..1. */
function lostShare(value: (index: number) => number, { width, height }: Scene): number {
  let [lost, all] = [0, 0]
  for (let y = MARGIN; y < height - MARGIN; y++) {
    for (let x = MARGIN; x < width - MARGIN; x++, all++) {
      const i = 3 * (y * width + x)
      const [least, most] = [Math.min(value(i), value(i + 1), value(i + 2)), Math.max(value(i), value(i + 1), value(i + 2))]
      if (least > 0.985 || most < 0.03) lost++
    }
  }
  return lost / all
}

/** Share of the pixels round the places that a disc was at in other exposures, in which a picture differs from the one without discs. */
function ghostShare(value: (index: number) => number, without: (index: number) => number, places: readonly (readonly [number, number])[], { width }: Scene): number {
  let [ghost, all] = [0, 0]
  for (const [cx, cy] of places) {
    for (let y = Math.round(cy) - RADIUS - 3; y <= cy + RADIUS + 3; y++) {
      for (let x = Math.round(cx) - RADIUS - 3; x <= cx + RADIUS + 3; x++, all++) {
        const i = 3 * (y * width + x)
        if (Math.max(...[0, 1, 2].map((k) => Math.abs(value(i + k) - without(i + k)))) > 0.08) ghost++
      }
    }
  }
  return ghost / all
}

/** The library's fusion of exposures that it aligned, as values 0..1. */
function fused(exposures: readonly IntegerRaster[]): Float32Array {
  const [source, aligned] = [new cv.MatVector(), new cv.MatVector()]
  for (const { width, height, data } of exposures) {
    const mat = cv.matFromArray(height, width, cv.CV_8UC3, data as unknown as number[])
    source.push_back(mat)
    aligned.push_back(mat.clone())
  }
  new cv.AlignMTB!(6, 4, 1).process(source, aligned, new cv.Mat(), new cv.Mat())
  const result = new cv.Mat()
  new cv.MergeMertens!(1, 1, 0).process(aligned, result, new cv.Mat(), new cv.Mat())
  return Float32Array.from(result.data32F)
}

const percent = (share: number) => `${(100 * share).toFixed(1)} %`
console.log('photograph: alignment, most px at a corner; lost in the best single exposure, merged, fused by the library; ghosts merged, fused')
for (const [n, { name, raster: photograph }] of (await openPhotographs()).slice(0, 6).entries()) {
  const scene = sceneOf(photograph, 0.9 * n)
  const { uniform } = makeRandom(100 + n)
  const pose = (): Pose => ({ turn: ((uniform() - 0.5) * 3 * Math.PI) / 180, dx: (uniform() - 0.5) * 24, dy: (uniform() - 0.5) * 24 })
  const poses = [pose(), { turn: 0, dx: 0, dy: 0 }, pose()]
  const [x0, y0] = [scene.width * (0.3 + 0.2 * uniform()), scene.height * (0.35 + 0.3 * uniform())]
  const places = [0, 1, 2].map((k) => [x0 + 3 * RADIUS * k, y0 + RADIUS * k] as const)
  const [bracket, still] = [true, false].map((hasDisc) => GAINS.map((gain, k) => exposed(scene, poses[k]!, gain, hasDisc ? places[k]! : null, 1000 * n + k)))
  const errors = [0, 2].map((k) => {
    const alignment = alignPictures(brightness(bracket![REFERENCE]!), brightness(bracket![k]!))
    return Math.max(...[[MARGIN, MARGIN], [scene.width - MARGIN, MARGIN], [MARGIN, scene.height - MARGIN], [scene.width - MARGIN, scene.height - MARGIN]].map(([x, y]) => {
      const [wanted, found] = [movedBy(poses[k]!, scene, x!, y!), alignedPlace(alignment, scene.width, scene.height, x!, y!)]
      return Math.hypot(wanted[0] - found[0], wanted[1] - found[1])
    }))
  })
  const merged = mergeExposures(bracket!.map((pixels) => ({ pixels })), { type: 'srgb' }, REFERENCE)
  const without = mergeExposures(still!.map((pixels) => ({ pixels })), { type: 'srgb' }, REFERENCE)
  const [library, libraryWithout] = [fused(bracket!), fused(still!)]
  const of16 = ({ raster }: typeof merged) => (i: number) => raster.data[i]! / 65535
  const others = [places[0]!, places[2]!]
  const single = Math.min(...still!.map(({ data }) => lostShare((i) => data[i]! / 255, scene)))
  console.log(`${name}: ${Math.max(...errors).toFixed(2)} px; lost ${percent(single)}, ${percent(lostShare(of16(without), scene))}, ${percent(lostShare((i) => libraryWithout[i]!, scene))}; ghosts ${percent(ghostShare(of16(merged), of16(without), others, scene))}, ${percent(ghostShare((i) => library[i]!, (i) => libraryWithout[i]!, others, scene))}`)
}
