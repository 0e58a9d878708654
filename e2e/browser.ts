import { chromium, type Browser, type Page } from 'playwright-core'

/** Debian's Chromium, headless, with nothing reaching outside. */
export function openBrowser(): Promise<Browser> {
  return chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: ['--no-sandbox', '--disable-quic', '--disable-background-networking'],
  })
}

export async function openPage(browser: Browser, address: string, path = '/'): Promise<Page> {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } })
  await page.goto(`${address}${path}`)
  return page
}

/** Wait until nothing has been fetched or painted for a moment. */
export async function rest(page: Page, milliseconds = 700): Promise<void> {
  await page.waitForLoadState('networkidle').catch(() => undefined)
  await page.waitForTimeout(milliseconds)
}
