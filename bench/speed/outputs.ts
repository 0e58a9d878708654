import { mkdtempSync, rmSync, statSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { readPicture } from '@fennip/codec/read.js'
import { rowsOf } from '@fennip/codec/rows.js'
import { fillFile, writeFileWhole } from '@fennip/codec/sink.js'
import { encodePicture, writePicture } from '@fennip/codec/write.js'
import { completeOutput, type OutputRequest } from '@fennip/core/output/output.js'
import { emptyTreatment } from '@fennip/core/treatment/edit.js'
import type { IntegerRaster } from '@fennip/core/raster/raster.js'
import type { Flaw, Step, Treatment } from '@fennip/core/treatment/schema.js'
import { dustyPylon, pylonLight } from '@fennip/demo/pictures.js'
import { finishedFile } from '@fennip/delivery/finished.js'
import { renderResult } from '@fennip/delivery/rendered-result.js'
import { renderRows, wholeRaster } from '@fennip/delivery/rendering.js'
import { writeOutput } from '@fennip/delivery/write-output.js'
import { Chain } from '@fennip/core/pipeline/chain.js'

/**
 * Ten files of one picture with mends and a finish in one run, against decoding it once and encoding the same ten pictures
 * without anything else: `npx tsx bench/speed/outputs.ts [megapixels] [treatment]`. The aim is 1.3 times.
 */

const megapixels = Number(process.argv[2] ?? 24)
const [width, height] = [Math.round(Math.sqrt(megapixels * 1.5e6)), Math.round(Math.sqrt(megapixels * 1e6 / 1.5))]
const folder = mkdtempSync(join(tmpdir(), 'fennip-bench-hand-over-'))
const path = join(folder, 'picture.jpg')
const { damaged } = dustyPylon(await pylonLight({ width, height }), 7)
await writeFileWhole(path, await encodePicture(damaged, null, { icc: null, exif: null, resolutionPerInch: 300 }, { format: 'jpeg', depth: 8, quality: 95 }))

const shapeAt = (i: number) => ({ type: 'disc' as const, x: 200 + ((i * 397) % (width - 400)), y: 200 + ((i * 631) % (height - 400)), r: 14 })
const flaws: Flaw[] = Array.from({ length: 300 }, (_, i) => ({ id: `f${i}`, kind: 'dust', shape: shapeAt(i), state: 'settled', contrast: 5, weight: 50, confidence: 1, origin: 'found' }))
const steps: Step[] = flaws.map(({ id, shape }, i) => ({ id: `m${i}`, stage: 'mend', flaw: id, method: 'heal', methodVersion: 2, shape, softEdgePx: 4, strength: 1, seed: i, source: { dx: 60, dy: 20 }, chosenBy: 'fennip', reason: '' }))
const finish = (name: string, operation: string, settings: Record<string, unknown>) => ({ id: name, stage: 'finish' as const, operation, version: 1, settings, strength: 1, enabled: true })
const plain: Treatment = { ...emptyTreatment({ sha256: 'a'.repeat(64), width, height, channels: 3, depth: 8 }), flaws, steps }
const TREATMENTS: Record<string, Treatment> = {
  'mends alone': plain,
  'mends, curve, crop': { ...plain, operations: [finish('c', 'curve', { points: [[0, 0], [0.5, 0.55], [1, 1]] }), finish('k', 'crop', { x: 100, y: 100, width: width - 200, height: height - 200 })] },
  'mends, curve, sharpen, turn': { ...plain, operations: [finish('c', 'curve', { points: [[0, 0], [0.5, 0.55], [1, 1]] }), finish('s', 'sharpen', { radiusPx: 0.8, amount: 60, threshold: 0.8, halo: 2 }), finish('t', 'turn', { degrees: 0.7 })] },
}
const OUTPUTS: OutputRequest[] = [
  { name: 'a', format: 'tiff', depth: 16 }, { name: 'b', format: 'tiff', depth: 8 }, { name: 'c', format: 'png', depth: 8 }, { name: 'd', format: 'jpeg', quality: 92 }, { name: 'e', format: 'webp', quality: 90 },
  { name: 'f', format: 'jpeg', longestPx: 2400, sharpen: 25 }, { name: 'g', format: 'jpeg', longestPx: 1200 }, { name: 'h', format: 'png', depth: 8, longestPx: 1600 }, { name: 'i', format: 'avif', longestPx: 1600 }, { name: 'j', format: 'jpeg', content: 'pair', longestPx: 3000 },
]
let peak = 0
const watch = setInterval(() => (peak = Math.max(peak, process.memoryUsage.rss())), 50)
const seconds = (since: number) => (performance.now() - since) / 1000

console.log(`${width} x ${height}, ten files`)
for (const [name, treatment] of Object.entries(TREATMENTS).filter(([name]) => !process.argv[3] || name === process.argv[3])) {
  const finished = await finishedFile(path, 'picture.jpg', treatment)
  const isShared = new Chain(finished.base, treatment).isWorthKeeping
  peak = 0
  const begun = performance.now()
  const rendered = isShared ? await renderResult(finished) : null
  const renderedAfter = seconds(begun)
  const each: string[] = []
  for (const asked of OUTPUTS) {
    const one = performance.now()
    await fillFile(join(folder, `${asked.name}.${asked.format}`), async (sink) => void (await writeOutput(finished, completeOutput(asked, 8), sink, rendered)))
    each.push(`${asked.name} ${seconds(one).toFixed(1)}`)
  }
  const ours = seconds(begun)
  const ourPeak = peak
  // The reference: the same pictures, ready in memory, encoded; the file decoded once.
  const decoding = performance.now()
  await readPicture(path, 'picture.jpg')
  let reference = seconds(decoding)
  const encoded: string[] = []
  for (const asked of OUTPUTS) {
    const output = completeOutput(asked, 8)
    const ready: IntegerRaster = asked.content === 'pair' ? (await readPicture(join(folder, 'j.jpeg'), 'pair')).pixels : await wholeRaster(renderRows(finished, { depth: output.format === 'tiff' || output.format === 'png' ? output.depth : 8, ...(output.longestPx > 0 ? { longest: output.longestPx } : {}) }, rendered))
    const one = performance.now()
    await fillFile(join(folder, 'reference'), (sink) => writePicture(rowsOf(ready), finished.header.metadata, { format: output.format === 'ora' ? 'png' : output.format, depth: output.depth, quality: output.quality }, sink))
    reference += seconds(one)
    encoded.push(`${asked.name} ${seconds(one).toFixed(1)}`)
  }
  rendered?.end()
  const bytes = OUTPUTS.reduce((sum, { name: file, format }) => sum + statSync(join(folder, `${file}.${format}`)).size, 0)
  console.log(`${name}: ${ours.toFixed(1)} s (before the frame ${renderedAfter.toFixed(1)} s; ${each.join(', ')}), reference ${reference.toFixed(1)} s (${encoded.join(', ')}), ${(ours / reference).toFixed(2)} times; peak ${Math.round(ourPeak / 1e6)} MB, files ${Math.round(bytes / 1e6)} MB`)
}
clearInterval(watch)
rmSync(folder, { recursive: true, force: true })
