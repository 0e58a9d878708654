import { writeFileWhole } from '@fennip/codec/sink.js'
import { makeReports, REPORT_FORMS, type ReportForm } from '@fennip/delivery/report/write-report.js'
import { parse, UsageError } from './parse.js'
import { treated } from './treated.js'

/** `fennip report`: what was done to a picture, as PDF or HTML. */
export async function report(args: string[]): Promise<void> {
  const { values, positionals } = parse(args, { job: { type: 'string' }, client: { type: 'string' } }, 3)
  const [input, treatmentPath, path] = positionals as [string, string, string]
  const form = REPORT_FORMS.find((known) => path.toLowerCase().endsWith(`.${known}`)) as ReportForm | undefined
  if (!form) throw new UsageError(`A report is written as ${REPORT_FORMS.map((known) => `.${known}`).join(' or ')}; ${path} ends otherwise.`)
  const finished = await treated(input, treatmentPath)
  const reports = await makeReports(finished, [form], { job: values.job as string | undefined, client: values.client as string | undefined })
  await writeFileWhole(path, reports.get(form)!)
}
