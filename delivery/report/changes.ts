import { clipRegion, maximumOf, overlaps, type IntegerRaster, type Region, type FloatRaster } from '@fennip/core/raster/raster.js'
import { Chain } from '@fennip/core/pipeline/chain.js'
import { toFloat } from '@fennip/core/render/samples.js'
import type { OperationStage } from '@fennip/core/treatment/schema.js'
import { mendedRegion, type Finished } from '../finished.js'

/** What was done to a place, the strongest first: where several were done, a map shows the first. */
export const CHANGE_KINDS = ['rebuilt', 'replaced', 'lifted', 'corrected'] as const
export type ChangeKind = (typeof CHANGE_KINDS)[number]

/** What of a picture was changed before its finish, which changes all of it alike. */
export interface Changes {
  /** Share of the pixels of the base of each kind, 0..1; one pixel may be of several. */
  readonly shares: Readonly<Record<ChangeKind, number>>
  /** Side of a cell in pixels of the base. */
  readonly cellPx: number
  readonly columns: number
  readonly rows: number
  /** Share of each cell of each kind, row by row. */
  readonly cells: Readonly<Record<ChangeKind, Float32Array>>
  /** Mean change of each cell, in encoded values 0..1. */
  readonly amount: Float32Array
}

const ROWS = 256
const COLUMNS = 2048
/** Cells along the longer side of the map. */
const CELLS = 600
/** A step of 8 bits: what changes less is not counted. */
const SEEN = 1 / 255

/**
 * Measure what was changed, strip by strip.
 *
 * Mends count by what they did: given back (lift) or replaced (heal, clone, fill). Steps of Correct and Rebuild count where
 * they change a sample by a step of 8 bits or more.
 */
export function measureChanges(finished: Finished, onShare: (share: number) => void = () => undefined): Changes {
  const { base, treatment, patches } = finished
  const { width, height, channels } = base
  const cellPx = Math.max(1, Math.ceil(Math.max(width, height) / CELLS))
  const [columns, rows] = [Math.ceil(width / cellPx), Math.ceil(height / cellPx)]
  const cells = Object.fromEntries(CHANGE_KINDS.map((kind) => [kind, new Float32Array(columns * rows)])) as Record<ChangeKind, Float32Array>
  const amount = new Float32Array(columns * rows)
  const counts: Record<ChangeKind, number> = { rebuilt: 0, replaced: 0, lifted: 0, corrected: 0 }
  const stages = (['correct', 'rebuild'] as const).filter((stage) => (treatment.operations ?? []).some((step) => step.stage === stage && step.enabled))
  const chains = stages.map((stage, i) => ({ stage, chain: new Chain(base, { areas: treatment.areas, operations: (treatment.operations ?? []).filter((step) => (stages.slice(0, i + 1) as OperationStage[]).includes(step.stage)) }, { memory: finished.memory, below: 'mended' }) }))
  const mended = mendedRegion(finished)
  const scale = 1 / maximumOf(base.depth)
  for (let y = 0; y < height; y += ROWS) {
    onShare(y / height)
    for (let x = 0; x < width; x += COLUMNS) {
      const region = clipRegion({ x, y, width: COLUMNS, height: ROWS }, width, height)
      const before = finished.original.read(region)
      const after = mended(region)
      const note = (i: number, kind: ChangeKind) => {
        counts[kind]++
        const cell = Math.floor((y + Math.floor(i / region.width)) / cellPx) * columns + Math.floor((x + (i % region.width)) / cellPx)
        cells[kind][cell]!++
      }
      countMends(region, before, after, patches, treatment.steps.map(({ method }) => method), note)
      let below: FloatRaster = toFloat(after)
      for (const { stage, chain } of chains) {
        const now = chain.read(region, 0, mended)
        for (let i = 0; i < region.width * region.height; i++) {
          let most = 0
          for (let c = 0; c < channels; c++) most = Math.max(most, Math.abs(now.data[i * channels + c]! - below.data[i * channels + c]!))
          if (most >= SEEN) note(i, stage === 'correct' ? 'corrected' : 'rebuilt')
        }
        below = now
      }
      for (let i = 0; i < region.width * region.height; i++) {
        let sum = 0
        for (let c = 0; c < channels; c++) sum += Math.abs(below.data[i * channels + c]! - before.data[i * channels + c]! * scale)
        if (sum > 0) amount[Math.floor((y + Math.floor(i / region.width)) / cellPx) * columns + Math.floor((x + (i % region.width)) / cellPx)]! += sum / channels / cellPx ** 2
      }
    }
  }
  for (const kind of CHANGE_KINDS) for (let i = 0; i < cells[kind].length; i++) cells[kind][i]! /= cellPx ** 2
  const shares = Object.fromEntries(CHANGE_KINDS.map((kind) => [kind, counts[kind] / (width * height)])) as Record<ChangeKind, number>
  return { shares, cellPx, columns, rows, cells, amount }
}

/** A pixel belongs to the last mend that touched it. */
function countMends(region: Region, before: IntegerRaster, after: IntegerRaster, patches: Finished['patches'], methods: readonly string[], note: (i: number, kind: ChangeKind) => void): void {
  const owner = new Map<number, ChangeKind>()
  for (const [k, patch] of patches.entries()) {
    if (!overlaps(patch.region, region)) continue
    const part = clipRegion({ ...patch.region, x: patch.region.x - region.x, y: patch.region.y - region.y }, region.width, region.height)
    for (let py = part.y; py < part.y + part.height; py++) {
      for (let px = part.x; px < part.x + part.width; px++) {
        if (patch.touched[(py + region.y - patch.region.y) * patch.region.width + px + region.x - patch.region.x] !== 0) owner.set(py * region.width + px, methods[k] === 'lift' ? 'lifted' : 'replaced')
      }
    }
  }
  const { channels } = before
  for (const [i, kind] of owner) {
    let differs = false
    for (let c = 0; c < channels; c++) if (before.data[i * channels + c] !== after.data[i * channels + c]) differs = true
    if (differs) note(i, kind)
  }
}

/** A part of the picture, in pixels of the base. */
export interface ChangedPlace extends Region { readonly amount: number }

/** The places that changed most, apart from one another by the size of what is shown of each. */
export function largestChanges({ amount, columns, cellPx }: Changes, base: { width: number; height: number }, count: number, size: { width: number; height: number }): ChangedPlace[] {
  const found: ChangedPlace[] = []
  const order = Array.from(amount.keys()).filter((i) => amount[i]! > 0).sort((a, b) => amount[b]! - amount[a]!)
  for (const i of order) {
    const [x, y] = [((i % columns) + 0.5) * cellPx, (Math.floor(i / columns) + 0.5) * cellPx]
    if (found.some((place) => Math.abs(place.x + place.width / 2 - x) < size.width && Math.abs(place.y + place.height / 2 - y) < size.height)) continue
    const [width, height] = [Math.min(size.width, base.width), Math.min(size.height, base.height)]
    found.push({ x: Math.round(Math.max(0, Math.min(base.width - width, x - width / 2))), y: Math.round(Math.max(0, Math.min(base.height - height, y - height / 2))), width, height, amount: amount[i]! })
    if (found.length === count) break
  }
  return found
}
