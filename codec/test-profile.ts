/**
 * A small matrix profile for tests and demo: ICC version 4, one gamma, wide primaries.
 *
 * ICC.1:2022: header 7.2, tags desc (10.15), XYZ (10.31), curv (10.6).
 */
export function makeMatrixProfile(name: string, gamma: number): Uint8Array {
  const curve = new Uint8Array(14)
  curve.set([0x63, 0x75, 0x72, 0x76])
  new DataView(curve.buffer).setUint32(8, 1)
  new DataView(curve.buffer).setUint16(12, Math.round(gamma * 256))
  return assemble(0x04400000, [
    ['desc', described(name)],
    ['wtpt', xyz(0.9642, 1, 0.8249)],
    ...(['rXYZ', 'gXYZ', 'bXYZ'] as const).map((tag, i): Tag => [tag, xyz(WIDE[0]![i]!, WIDE[1]![i]!, WIDE[2]![i]!)]),
    ['rTRC', curve],
    ['gTRC', curve],
    ['bTRC', curve],
  ])
}

/**
 * The same space as tables alone (lut16Type, ICC.1:2022 10.10): a curve for each channel, a grid of light to XYZ, as
 * profiles of scanners and printers are.
 *
 * @param gammas  Of red, green and blue.
 */
export function makeTableProfile(name: string, gammas: readonly [number, number, number]): Uint8Array {
  const [entries, grid] = [1024, 2]
  const lut = new Uint8Array(52 + 2 * (3 * entries + 3 * grid ** 3 + 3 * 2))
  const view = new DataView(lut.buffer)
  lut.set([0x6d, 0x66, 0x74, 0x32])
  lut.set([3, 3, grid], 8)
  for (const i of [0, 4, 8]) view.setInt32(12 + 4 * i, 65536)
  view.setUint16(48, entries)
  view.setUint16(50, 2)
  let at = 52
  const put = (value: number) => {
    view.setUint16(at, Math.max(0, Math.min(65535, Math.round(value))))
    at += 2
  }
  for (const gamma of gammas) for (let i = 0; i < entries; i++) put(65535 * (i / (entries - 1)) ** gamma)
  // XYZ of 16 bits has its 1 at 32768 (ICC.1:2022 6.3.4.2); red varies slowest.
  for (let i = 0; i < grid ** 3; i++) for (const row of WIDE) put(32768 * (row[0]! * (i >> 2) + row[1]! * ((i >> 1) & 1) + row[2]! * (i & 1)))
  for (let c = 0; c < 3; c++) [0, 65535].forEach(put)
  return assemble(0x02400000, [['desc', described(name)], ['wtpt', xyz(0.9642, 1, 0.8249)], ['A2B0', lut]])
}

/** Linear RGB to XYZ of a wide space adapted to D50, as a common wide-gamut RGB has it, values from memory. */
const WIDE = [[0.6097, 0.2053, 0.1492], [0.3111, 0.6257, 0.0632], [0.0195, 0.0609, 0.7446]]

type Tag = readonly [string, Uint8Array]

function xyz(x: number, y: number, z: number): Uint8Array {
  const bytes = new Uint8Array(20)
  const view = new DataView(bytes.buffer)
  bytes.set([0x58, 0x59, 0x5a, 0x20])
  ;[x, y, z].forEach((value, i) => view.setInt32(8 + 4 * i, Math.round(value * 65536)))
  return bytes
}

function described(name: string): Uint8Array {
  const texts = Uint8Array.from(name, (character) => character.charCodeAt(0))
  const description = new Uint8Array(28 + 2 * texts.length)
  const view = new DataView(description.buffer)
  description.set([0x6d, 0x6c, 0x75, 0x63])
  view.setUint32(8, 1)
  view.setUint32(12, 12)
  description.set([0x65, 0x6e, 0x55, 0x53], 16)
  view.setUint32(20, 2 * texts.length)
  view.setUint32(24, 28)
  texts.forEach((code, i) => view.setUint16(28 + 2 * i, code))
  return description
}

/** A display profile of RGB from its tags. */
function assemble(version: number, tags: readonly Tag[]): Uint8Array {
  const table = 132 + 12 * tags.length
  let length = table
  const places = tags.map(([, bytes]) => {
    const at = length
    length += Math.ceil(bytes.length / 4) * 4
    return at
  })
  const profile = new Uint8Array(length)
  const view = new DataView(profile.buffer)
  const write = (at: number, value: string) => profile.set(Uint8Array.from(value, (character) => character.charCodeAt(0)), at)
  view.setUint32(0, length)
  view.setUint32(8, version)
  write(12, 'mntrRGB XYZ ')
  write(36, 'acsp')
  view.setInt32(68, Math.round(0.9642 * 65536))
  view.setInt32(72, 65536)
  view.setInt32(76, Math.round(0.8249 * 65536))
  view.setUint32(128, tags.length)
  tags.forEach(([tag, bytes], i) => {
    write(132 + 12 * i, tag)
    view.setUint32(136 + 12 * i, places[i]!)
    view.setUint32(140 + 12 * i, bytes.length)
    profile.set(bytes, places[i])
  })
  return profile
}
