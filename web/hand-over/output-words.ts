import type { Output } from '@fennip/core/output/output.js'
import { DEEP_OUTPUTS, FORMAT_WORDS, type OutputPlan } from '@fennip/core/output/plan-output.js'
import { thousands } from '../shared/words.js'

/** What a file is, as a sentence that goes on after its name. */
export function outputWords(output: Output): string {
  const { content, format, depth, quality, sharpen, layout } = output
  const what = content === 'pair' ? `before and after ${layout === 'row' ? 'in a row' : 'half and half'}, ` : content === 'layers' ? 'every stage as a layer, ' : ''
  const how = content !== 'pair' && DEEP_OUTPUTS.includes(format) ? `${depth} bits a sample` : `quality ${quality}`
  return `${what}${FORMAT_WORDS[format]}, ${how}, ${sizeWords(output)}${sharpen > 0 ? `, sharpened by ${sharpen} %` : ''}`
}

function sizeWords({ longestPx, widthCm, perInch, content }: Output): string {
  if (content === 'layers') return 'as large as it is'
  if (longestPx > 0) return `longest side ${thousands(longestPx)} px`
  if (widthCm > 0 && perInch > 0) return `${widthCm} cm wide at ${perInch} per inch`
  return perInch > 0 ? `as large as it is at ${perInch} per inch` : 'as large as it is'
}

/** Pixels, paper and megabytes of what will be written. */
export function planWords({ width, height, paper, perInch, bytes }: OutputPlan & { bytes: number }): string {
  const onPaper = paper ? `${paper.widthCm.toFixed(1)} × ${paper.heightCm.toFixed(1)} cm at ${Math.round(perInch!)} per inch` : 'no size on paper is known'
  return `${thousands(width)} × ${thousands(height)} px · ${onPaper} · about ${megabytes(bytes)}`
}

export const megabytes = (bytes: number) => (bytes < 1e5 ? `${Math.max(1, Math.round(bytes / 1e3))} kB` : `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB`)
