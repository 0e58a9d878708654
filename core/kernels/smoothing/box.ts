import type { Plane } from '../../raster/raster.js'
import { WASM } from '../generated/box-wasm.js'
import { Layout, lazily, reserve, Struct } from '../module.js'

interface Kernels {
  readonly memory: WebAssembly.Memory
  boxMean(source: number, into: number, width: number, height: number, radius: number, room: number): void
  takeGuide(of: number): void
  guided(of: number): void
}

const compiled = lazily<Kernels>(WASM)
const guidance = new Struct(['variance'], ['width', 'height', 'radius', 'guide', 'guideMean', 'guideSquare', 'plane', 'product', 'slope', 'offset', 'room'])

/** Bytes of the rows that a mean needs besides its planes. */
const roomFor = (width: number) => 3 * 8 * (width + 1)

/**
 * Mean over a square, in constant time a pixel; beyond the edge there is nothing, so the mean is over what is there. Sums are
 * exact: a pixel does not depend on where its tile begins.
 *
 * @param plane   Values between -100 and 100; they are rounded to multiples of 2^-28.
 * @param radius  Half side in whole pixels, at most 255: the square is 2 radius + 1 wide.
 * @returns A new plane.
 */
export function boxMean({ width, height, data }: Plane, radius: number): Plane {
  if (radius === 0) return { width, height, data: data.slice() }
  const kernels = compiled()
  const layout = new Layout()
  const [source, into, room] = [layout.claim(data.byteLength), layout.claim(data.byteLength), layout.claim(roomFor(width))]
  reserve(kernels.memory, layout.end)
  new Float32Array(kernels.memory.buffer, source, data.length).set(data)
  kernels.boxMean(source, into, width, height, radius, room)
  return { width, height, data: new Float32Array(kernels.memory.buffer, into, data.length).slice() }
}

/**
 * Guided filter: planes smoothed as a linear function of a guide in each square, so that they keep the guide's edges.
 *
 * @param planes   What is smoothed, of the size of the guide.
 * @param guide    Whose edges are kept; a plane itself for edge-preserving smoothing.
 * @param radius   Half side of the squares in whole pixels, 1 to 255.
 * @param variance Variance of the guide below which it is flat; in the square of the guide's unit.
 * @returns New planes.
 *
 * He, Sun and Tang 2013, "Guided image filtering", eq. 5, 6 and 8.
 */
export function guidedFilter(planes: readonly Plane[], guide: Plane, radius: number, variance: number): Plane[] {
  const kernels = compiled()
  const { width, height } = guide
  const layout = new Layout()
  const of = layout.claim(guidance.bytes)
  const plane = () => layout.claim(4 * width * height)
  const at = { width, height, radius, variance, guide: plane(), guideMean: plane(), guideSquare: plane(), plane: plane(), product: plane(), slope: plane(), offset: plane(), room: layout.claim(roomFor(width)) }
  reserve(kernels.memory, layout.end)
  guidance.write(kernels.memory.buffer, of, at)
  const inKernel = (address: number) => new Float32Array(kernels.memory.buffer, address, width * height)
  inKernel(at.guide).set(guide.data)
  kernels.takeGuide(of)
  return planes.map(({ data }) => {
    inKernel(at.plane).set(data)
    kernels.guided(of)
    return { width, height, data: inKernel(at.plane).slice() }
  })
}
