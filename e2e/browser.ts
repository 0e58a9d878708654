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
