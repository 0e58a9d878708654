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

/** Milliseconds from a key to the next painted picture, for each of so many presses. */
export async function timesToPainted(page: Page, key: { key: string; code?: string; ctrlKey?: boolean }, presses: number): Promise<number[]> {
  const times: number[] = []
  for (let i = 0; i < presses; i++) {
    times.push(await page.evaluate(`new Promise((resolve) => {
      performance.clearMarks('fennip-painted')
      const began = performance.now()
      function look() {
        if (performance.getEntriesByName('fennip-painted').length > 0) resolve(performance.now() - began)
        else if (performance.now() - began > 5000) resolve(Infinity)
        else requestAnimationFrame(look)
      }
      document.activeElement.dispatchEvent(new KeyboardEvent('keydown', { ...${JSON.stringify(key)}, bubbles: true, cancelable: true }))
      requestAnimationFrame(look)
    })`) as number)
  }
  return times.sort((a, b) => a - b)
}
