import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { chromium, type Browser, type Page } from 'playwright-core'

/** How long a page is waited for: what comes is as slow as the machine, and only what never comes is a fault. */
export const PATIENCE_MS = 120_000

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
  // What is still fading in has less contrast than it will have.
  await page.evaluate(() => Promise.allSettled(document.getAnimations().filter((animation) => Number.isFinite(animation.effect?.getComputedTiming().endTime)).map(({ finished }) => finished)))
  await page.evaluate(readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8'))
  const { violations } = await page.evaluate(() => (window as unknown as { axe: { run(options: object): Promise<{ violations: { id: string; nodes: { html: string }[] }[] }> } }).axe.run({ runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa'], resultTypes: ['violations'] }))
  return violations.map(({ id, nodes }) => `${id}: ${nodes[0]?.html.slice(0, 160)}`)
}

/** What a page cuts off, lets reach out of its bar, or pushes beyond the window. */
export function cutOff(page: Page): Promise<string[]> {
  return page.evaluate(() => {
    const wrong: string[] = []
    if (document.documentElement.scrollWidth > innerWidth) wrong.push(`the page is ${document.documentElement.scrollWidth} wide`)
    for (const element of document.querySelectorAll<HTMLElement>('button, a, input, select, label, th, td, b, h1, h2, figcaption, [data-test]')) {
      if (element.closest('.el-popper, .unseen, [data-test=ledger], .el-overlay, [data-test=picture]') || element.offsetParent === null) continue
      const box = element.getBoundingClientRect()
      if (box.width === 0 || box.height === 0) continue
      let left = 0
      let right = innerWidth
      let scrolls = false
      for (let parent = element.parentElement; parent; parent = parent.parentElement) {
        const style = getComputedStyle(parent)
        if (style.overflowY === 'auto' || style.overflowY === 'scroll') scrolls = true
        if (style.overflowX !== 'visible') {
          left = Math.max(left, parent.getBoundingClientRect().left)
          right = Math.min(right, parent.getBoundingClientRect().right)
        }
      }
      const name = `${element.tagName.toLowerCase()} ${element.dataset.test ?? ''} "${(element.textContent ?? '').trim().slice(0, 30)}"`
      if (box.right > right + 1.5 || box.left < left - 1.5) wrong.push(`${name} reaches from ${Math.round(box.left)} to ${Math.round(box.right)} of ${Math.round(left)} to ${Math.round(right)}`)
      if (!scrolls && box.bottom > innerHeight + 1.5) wrong.push(`${name} ends at ${Math.round(box.bottom)}`)
      // What wrapped out of a bar of one line is hidden by it, or lies over what is next to it.
      const bar = element.closest('.lenses, .tools, .top-bar, .stage-line')?.getBoundingClientRect()
      if (bar && (box.top < bar.top - 1.5 || box.bottom > bar.bottom + 1.5)) wrong.push(`${name} leaves its bar`)
    }
    return wrong
  })
}
