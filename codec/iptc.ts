/**
 * IPTC-IIM (IIM 4.2) as files carry it. A data set begins with 0x1C and the number of its record.
 */

const DATA_SET = 0x1c
/** Signature of a resource block, and the number of the one that holds IIM. */
const [BLOCK, IIM_BLOCK] = [[0x38, 0x42, 0x49, 0x4d], [0x04, 0x04]]

/** Whether these are data sets and no blocks around them. */
export const isBare = (iptc: Uint8Array): boolean => iptc[0] === DATA_SET

/** The data sets without the blocks that a JPEG file has around them; empty when there are none. */
export function bareDataSets(iptc: Uint8Array): Uint8Array {
  if (isBare(iptc)) return iptc
  for (let at = 0; at + 12 <= iptc.length; at++) {
    if (![...BLOCK, ...IIM_BLOCK].every((byte, i) => iptc[at + i] === byte)) continue
    // A name whose length with its own byte is even, then the length of the content.
    const name = 1 + iptc[at + 6]!
    const length = at + 6 + name + (name % 2)
    if (length + 4 > iptc.length) break
    const size = new DataView(iptc.buffer, iptc.byteOffset).getUint32(length)
    return iptc.subarray(length + 4, Math.min(iptc.length, length + 4 + size))
  }
  return new Uint8Array(0)
}
