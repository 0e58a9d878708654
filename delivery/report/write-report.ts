import type { Finished } from '../finished.js'
import { reportHtml } from './html.js'
import { reportPdf } from './pdf.js'
import { gatherReport, type ReportOptions } from './report.js'

export const REPORT_FORMS = ['pdf', 'html'] as const
export type ReportForm = (typeof REPORT_FORMS)[number]

/** Look at a finished picture once and lay its report out in each of the forms. */
export async function makeReports(finished: Finished, forms: readonly ReportForm[], options: ReportOptions = {}): Promise<ReadonlyMap<ReportForm, Uint8Array>> {
  const report = await gatherReport(finished, options)
  const laidOut = new Map<ReportForm, Uint8Array>()
  for (const form of forms) laidOut.set(form, form === 'pdf' ? await reportPdf(report) : reportHtml(report))
  return laidOut
}
