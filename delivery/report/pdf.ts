import { PAGE, Pages } from './page.js'
import type { Report } from './report.js'

const SWATCH = 9

/** A report as PDF of A4 pages, its typeface embedded. */
export function reportPdf(report: Report): Promise<Uint8Array> {
  const pages = new Pages(`${report.title}: what was done`, report.program, report.title)
  const { pdf } = pages
  pages.title(report.title, [report.job && `${report.job}${report.client ? `, for ${report.client}` : ''}`, report.made, report.program].filter(Boolean).join(' · '))
  for (const sentence of report.summary) pages.paragraph(sentence)
  pages.heading('Before and after', 200)
  pages.row([{ ...report.before, caption: 'Before' }, { ...report.after, caption: 'After' }])
  pages.heading('Where the picture was changed', 300)
  pages.row([{ ...report.map, caption: '' }], 290)
  for (const { word, percent, swatch } of report.shares) {
    pages.need(16)
    const { y } = pdf
    pdf.image(swatch.bytes, PAGE.margin, y + 1, { width: SWATCH, height: SWATCH })
    pdf.fontSize(9).text(word, PAGE.margin + SWATCH + 6, y, { continued: false }).text(percent, PAGE.margin, y, { align: 'right' })
    pdf.x = PAGE.margin
  }
  if (report.largest.length > 0) {
    pages.heading('The largest changes, pixel by pixel', 240)
    for (const { title, before, after } of report.largest) pages.row([{ ...before, caption: `${title}, before` }, { ...after, caption: 'after' }], 200)
  }
  if (report.kinds.length > 0) {
    pages.heading('Flaws', 90)
    pages.table([{ share: 0.4 }, ...Array.from({ length: 4 }, () => ({ share: 0.15, right: true }))], report.kinds.map(({ word, found, mended, left, open }) => [word, String(found), String(mended), String(left), String(open)]), ['Kind', 'Found', 'Mended', 'Left on purpose', 'Open'])
    if (report.methods.length > 0) {
      pdf.moveDown(0.5)
      pages.table([{ share: 0.8 }, { share: 0.2, right: true }], report.methods.map(({ word, count }) => [word, String(count)]), ['How they were mended', ''])
    }
  }
  if (report.steps.length > 0) {
    pages.heading('What was done to areas and to the whole')
    pages.table([{ share: 0.13 }, { share: 0.47 }, { share: 0.4, soft: true }], report.steps.map(({ stage, sentence, note, settings }) => [stage, note ? `${sentence}\n${note}` : sentence, settings]), ['Stage', 'Step', 'Settings'])
  }
  for (const [heading, lines] of [['What still shows', report.shows], ['What was not mended', report.left]] as const) {
    if (lines.length === 0) continue
    pages.heading(heading)
    for (const line of lines) pages.paragraph(line)
  }
  if (report.remarks.length > 0) {
    pages.heading('Remarks')
    pages.table([{ share: 0.07 }, { share: 0.73 }, { share: 0.2, soft: true }], report.remarks.map(({ number, text, answer, place }) => [String(number), answer ? `${text}\nAnswer: ${answer}` : text, `at ${place}`]))
  }
  pages.heading('To check it by')
  pages.table([{ share: 0.3 }, { share: 0.7 }], report.facts.map(({ label, value }) => [label, value]))
  return pages.end()
}
