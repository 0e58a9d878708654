import { layTogether } from '@fennip/core/assemble/pieces/lay-together.js'
import { ProblemError } from '@fennip/core/problem.js'
import { readPicture, type DecodedPicture } from './read.js'

/** Scans of one print differ in resolution by no more than this share. */
const SAME_RESOLUTION = 0.01

/**
 * Read several scans with pieces of one print, and lay the pieces on one sheet.
 *
 * @param files  One or more; a single scan is read as it is.
 * @throws ProblemError when the scans differ in resolution, colour profile or channels, or show no pieces.
 */
export async function readTogether(files: readonly { readonly path: string; readonly name: string }[]): Promise<DecodedPicture> {
  const scans: DecodedPicture[] = []
  for (const { path, name } of files) scans.push(await readPicture(path, name))
  const first = scans[0]!
  if (scans.length === 1) return first
  for (const [i, { header }] of scans.entries()) {
    const [one, other] = [first.header.metadata, header.metadata]
    const names = `${files[0]!.name} and ${files[i]!.name}`
    if (one.resolutionPerInch && other.resolutionPerInch && Math.abs(one.resolutionPerInch / other.resolutionPerInch - 1) > SAME_RESOLUTION) throw new ProblemError('other-resolution', { title: 'The scans differ in resolution', detail: `${names} have ${Math.round(one.resolutionPerInch)} and ${Math.round(other.resolutionPerInch)} pixels per inch. Scan all pieces at one resolution.`, status: 422 })
    if (Buffer.compare(one.icc ?? new Uint8Array(), other.icc ?? new Uint8Array()) !== 0) throw new ProblemError('other-profile', { title: 'The scans differ in colour profile', detail: `${names} have different colour profiles. Scan all pieces with one profile, or convert one of them.`, status: 422 })
  }
  const { raster } = layTogether(scans.map(({ pixels }, i) => ({ name: files[i]!.name, pixels })))
  return { header: { ...first.header, width: raster.width, height: raster.height, depth: raster.data instanceof Uint16Array ? 16 : 8, hasAlpha: false }, pixels: raster, alpha: null }
}
