import { bareDataSets } from '@fennip/codec/iptc.js'
import { readDirectories, shortEntry, textEntry, TAG, writeExif, longEntry, type Directory } from '@fennip/codec/tiff/directory.js'
import type { Metadata } from '@fennip/codec/read.js'
import { cleanText } from '@fennip/core/text.js'
import { Chain } from '@fennip/core/pipeline/chain.js'
import { shapeBounds } from '@fennip/core/shape/shape.js'
import type { Step } from '@fennip/core/treatment/schema.js'
import type { Finished } from './finished.js'
import { PROGRAM } from './program.js'
import { extendXmp, type AlteredArea } from './xmp.js'

/** Exif tags that tell whose camera it was (Exif 2.32: owner, body and lens serial numbers), what the owner wrote, and thumbnails of other software. */
const PERSONAL_TAGS = [0xa430, 0xa431, 0xa435, 0xa420, 0x9286]
const [PIXEL_WIDTH, PIXEL_HEIGHT] = [0xa002, 0xa003]
/** Altered places that are listed in a file; a longer list says no more, the report says all. */
const MOST_AREAS = 60

/** Terms of the IPTC vocabulary of digital source types (cv.iptc.org/newscodes/digitalsourcetype), from memory. */
const SOURCE_TYPES = { frame: 'digitalCapture', scan: 'print', edited: 'humanEdits' } as const

/**
 * Description of a file that is written: what the picture came with, and what was done to it.
 *
 * @param size      In pixels, as it is written.
 * @param personal  Whether place, persons and serial numbers stay.
 */
export function metadataOf(finished: Finished, { icc, perInch, size, personal, now }: { icc: Uint8Array | null; perInch: number | null; size: { width: number; height: number }; personal: boolean; now: Date }): Metadata {
  const { metadata } = finished.header
  const packet = metadata.xmp ? new TextDecoder().decode(metadata.xmp) : null
  const facts = { program: PROGRAM, modified: now.toISOString().replace(/\.\d+Z$/, 'Z'), sourceType: `http://cv.iptc.org/newscodes/digitalsourcetype/${sourceTypeOf(finished)}`, altered: alteredAreas(finished), older: olderDescription(metadata.iptc) }
  return {
    icc,
    exif: exifOf(metadata.exif, size, personal, now),
    resolutionPerInch: perInch,
    xmp: new TextEncoder().encode(extendXmp(packet, facts, personal)),
    // Data sets may name places and persons anywhere; their description goes into XMP, which can be told apart.
    iptc: personal ? (metadata.iptc ?? null) : null,
  }
}

function sourceTypeOf({ kind, treatment }: Finished): string {
  const isChanged = treatment.steps.length > 0 || (treatment.operations ?? []).some(({ enabled }) => enabled)
  return isChanged ? SOURCE_TYPES.edited : SOURCE_TYPES[kind]
}

function exifOf(block: Uint8Array | null, { width, height }: { width: number; height: number }, personal: boolean, now: Date): Uint8Array {
  const tree = block ? readDirectories(block) : null
  const main: Directory = new Map(tree?.main ?? [])
  main.set(TAG.orientation, shortEntry(1))
  main.set(TAG.software, textEntry(PROGRAM))
  main.set(TAG.dateTime, textEntry(now.toISOString().slice(0, 19).replaceAll('-', ':').replace('T', ' ')))
  const exif: Directory = new Map(tree?.exif ?? [])
  exif.set(PIXEL_WIDTH, longEntry(width))
  exif.set(PIXEL_HEIGHT, longEntry(height))
  if (!personal) for (const tag of PERSONAL_TAGS) exif.delete(tag)
  return writeExif({ main, exif, ...(personal && tree?.gps ? { gps: tree.gps } : {}) })
}

/** The largest places that were mended, in shares of the delivered picture. */
export function alteredAreas({ base, treatment }: Pick<Finished, 'base' | 'treatment'>): AlteredArea[] {
  const chain = new Chain(base, treatment)
  const { width, height } = chain.delivered
  const kinds = new Map(treatment.flaws.map(({ id, kind }) => [id, kind]))
  const area = ({ shape }: Step) => {
    const bounds = shapeBounds(shape)
    return bounds.width * bounds.height
  }
  return [...treatment.steps].sort((a, b) => area(b) - area(a)).slice(0, MOST_AREAS).flatMap((step) => {
    const bounds = shapeBounds(step.shape)
    const corners = [[bounds.x, bounds.y], [bounds.x + bounds.width, bounds.y], [bounds.x, bounds.y + bounds.height], [bounds.x + bounds.width, bounds.y + bounds.height]].map(([x, y]) => chain.fromBase(x!, y!))
    const [left, right] = [Math.max(0, Math.min(...corners.map(([x]) => x))), Math.min(width, Math.max(...corners.map(([x]) => x)))]
    const [top, bottom] = [Math.max(0, Math.min(...corners.map(([, y]) => y))), Math.min(height, Math.max(...corners.map(([, y]) => y)))]
    if (right <= left || bottom <= top) return []
    return [{ x: left / width, y: top / height, width: (right - left) / width, height: (bottom - top) / height, name: `${kinds.get(step.flaw) ?? 'flaw'} mended` }]
  })
}

/** What IPTC-IIM data sets say of the picture, by the properties that the IPTC Photo Metadata Standard maps them to. */
function olderDescription(iptc: Uint8Array | null | undefined): Record<string, string | string[]> {
  if (!iptc) return {}
  const values = readDataSets(bareDataSets(iptc))
  const one = (number: number) => values.get(number)?.[0]
  return Object.fromEntries([['title', one(5)], ['description', one(120)], ['rights', one(116)], ['creator', values.get(80)], ['subject', values.get(25)]].filter(([, value]) => value !== undefined) as [string, string | string[]][])
}

/** Text data sets of record 2 (IIM 4.2, chapter 6), by their number. */
function readDataSets(bytes: Uint8Array): Map<number, string[]> {
  const found = new Map<number, string[]>()
  for (let at = 0; at + 5 <= bytes.length && bytes[at] === 0x1c; ) {
    const [record, number, size] = [bytes[at + 1]!, bytes[at + 2]!, (bytes[at + 3]! << 8) | bytes[at + 4]!]
    if (size >= 0x8000) break
    if (record === 2) found.set(number, [...(found.get(number) ?? []), cleanText(new TextDecoder().decode(bytes.subarray(at + 5, at + 5 + size)), 2000)])
    at += 5 + size
  }
  return found
}
