import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { fileURLToPath } from 'node:url'
import Handlebars from 'handlebars'
import type { Report, ReportPicture } from './report.js'

const require = createRequire(import.meta.url)
const template = Handlebars.compile(readFileSync(fileURLToPath(new URL('./report.hbs', import.meta.url)), 'utf8'), { strict: true, noEscape: false })

const address = ({ type, bytes }: ReportPicture) => `data:${type};base64,${bytes.toString('base64')}`
const font = (weight: 400 | 600) => `data:font/woff2;base64,${readFileSync(require.resolve(`@fontsource/hanken-grotesk/files/hanken-grotesk-latin-${weight}-normal.woff2`)).toString('base64')}`

/** A report as one file that needs nothing beside it. */
export function reportHtml(report: Report): Uint8Array {
  const page = template({
    ...report, regular: font(400), bold: font(600), before: address(report.before), after: address(report.after), map: address(report.map),
    shares: report.shares.map((share) => ({ ...share, swatch: address(share.swatch) })),
    largest: report.largest.map((change) => ({ ...change, before: address(change.before), after: address(change.after) })),
  })
  return new TextEncoder().encode(page)
}
