/**
 * A small matrix profile for tests and demo: ICC version 4, one gamma, wide primaries.
 *
 * ICC.1:2022: header 7.2, tags desc (10.15), XYZ (10.31), curv (10.6).
 */
export function makeMatrixProfile(name: string, gamma: number): Uint8Array {
  const texts = Uint8Array.from(name, (character) => character.charCodeAt(0))
  const xyz = (x: number, y: number, z: number) => {
    const bytes = new Uint8Array(20)
    const view = new DataView(bytes.buffer)
    bytes.set([0x58, 0x59, 0x5a, 0x20])
    ;[x, y, z].forEach((value, i) => view.setInt32(8 + 4 * i, Math.round(value * 65536)))
    return bytes
  }
  const description = new Uint8Array(28 + 2 * texts.length)
  const describe = new DataView(description.buffer)
  description.set([0x6d, 0x6c, 0x75, 0x63])
  describe.setUint32(8, 1)
  describe.setUint32(12, 12)
  description.set([0x65, 0x6e, 0x55, 0x53], 16)
  describe.setUint32(20, 2 * texts.length)
  describe.setUint32(24, 28)
  texts.forEach((code, i) => describe.setUint16(28 + 2 * i, code))
  const curve = new Uint8Array(14)
  curve.set([0x63, 0x75, 0x72, 0x76])
  new DataView(curve.buffer).setUint32(8, 1)
  new DataView(curve.buffer).setUint16(12, Math.round(gamma * 256))
  // Primaries of a wide space adapted to D50, as the primaries of a common wide-gamut RGB, values from memory.
  const tags: [string, Uint8Array][] = [
    ['desc', description],
    ['wtpt', xyz(0.9642, 1, 0.8249)],
    ['rXYZ', xyz(0.6097, 0.3111, 0.0195)],
    ['gXYZ', xyz(0.2053, 0.6257, 0.0609)],
    ['bXYZ', xyz(0.1492, 0.0632, 0.7446)],
    ['rTRC', curve],
    ['gTRC', curve],
    ['bTRC', curve],
  ]
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
  view.setUint32(8, 0x04400000)
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
