import type { Page } from 'playwright-core'

/** Frames a second that the page draws in so many milliseconds. */
export function framesPerSecond(page: Page, milliseconds = 2500): Promise<number> {
  // As text: the runner would rename functions inside, which the page does not know.
  return page.evaluate<number>(`new Promise((resolve) => {
    const start = performance.now()
    let count = 0
    requestAnimationFrame(function tick() {
      count++
      if (performance.now() - start < ${milliseconds}) requestAnimationFrame(tick)
      else resolve((1000 * count) / (performance.now() - start))
    })
  })`)
}

/** Frames a second while the picture is dragged about. */
export async function framesOfPan(page: Page): Promise<number> {
  const box = (await page.locator('[data-test=picture]').boundingBox())!
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2]
  const frames = framesPerSecond(page)
  await page.mouse.move(x, y)
  await page.mouse.down()
  for (let i = 0; i < 120; i++) {
    await page.mouse.move(x + 150 * Math.sin(i / 9), y + 90 * Math.cos(i / 7))
    await page.waitForTimeout(14)
  }
  await page.mouse.up()
  return frames
}

/** A condition in the page, as text: what the compiler puts into functions the page does not have. */
const PAINTED = { before: "performance.clearMarks('fennip-painted')", after: "performance.getEntriesByName('fennip-painted').length > 0" }
const SELECTED = { before: "const row = document.querySelector('[data-test=ledger-row][aria-selected=true]')?.id", after: "document.querySelector('[data-test=ledger-row][aria-selected=true]')?.id !== row" }

interface Key { readonly key: string; readonly code?: string; readonly ctrlKey?: boolean }

/** Milliseconds from a key to the next painted picture, for each of so many presses, least first. */
export const timesToPainted = (page: Page, key: Key, presses: number) => timesTo(page, key, presses, PAINTED)
/** Milliseconds from a key until another row of the ledger is selected. */
export const timesToSelected = (page: Page, key: Key, presses: number) => timesTo(page, key, presses, SELECTED)

async function timesTo(page: Page, key: Key, presses: number, { before, after }: { before: string; after: string }): Promise<number[]> {
  const times: number[] = []
  for (let i = 0; i < presses; i++) {
    times.push(await page.evaluate(`new Promise((resolve) => {
      ${before}
      const began = performance.now()
      function look() {
        if (${after}) resolve(performance.now() - began)
        else if (performance.now() - began > 5000) resolve(Infinity)
        else requestAnimationFrame(look)
      }
      document.activeElement.dispatchEvent(new KeyboardEvent('keydown', { ...${JSON.stringify(key)}, bubbles: true, cancelable: true }))
      requestAnimationFrame(look)
    })`) as number)
  }
  return times.sort((a, b) => a - b)
}
