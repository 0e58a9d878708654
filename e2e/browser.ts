import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { chromium, type Browser, type Page } from 'playwright-core'

/** Debian's Chromium, headless, with nothing reaching outside. */
export function openBrowser(): Promise<Browser> {
  return chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-quic', '--disable-background-networking'],
  })
}

/** Wait until nothing has been fetched or painted for a moment. */
export async function rest(page: Page, milliseconds = 700): Promise<void> {
  await page.waitForLoadState('networkidle').catch(() => undefined)
  await page.waitForTimeout(milliseconds)
}

/** What axe finds wrong with a page by WCAG 2.1, A and AA: each rule with the first place that breaks it. */
export async function axeFindings(page: Page): Promise<string[]> {
  await page.evaluate(readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8'))
  const { violations } = await page.evaluate(() => (window as unknown as { axe: { run(options: object): Promise<{ violations: { id: string; nodes: { html: string }[] }[] }> } }).axe.run({ runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa'], resultTypes: ['violations'] }))
  return violations.map(({ id, nodes }) => `${id}: ${nodes[0]?.html.slice(0, 160)}`)
}
