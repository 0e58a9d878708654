import { expect } from 'vitest'
import type { Harness } from '../harness.js'
import { rest } from '../browser.js'

export interface PictureSize { readonly width: number; readonly height: number }

/** What a restorer does in the stage Correct, on one harness; clicks are counted as tasks are measured by them. */
export class Correcting {
  clicks = 0
  constructor(private readonly harness: Harness) {}

  private get page() {
    return this.harness.page
  }

  treatment = async (id: string) => (await this.harness.opened(id)).treatment
  steps = async (id: string) => (await this.treatment(id)).operations ?? []
  zones = async (id: string) => (await this.treatment(id)).areas ?? []
  row = (operation: string) => this.page.locator(`[data-test=step][data-operation=${operation}]`)

  /** The picture as it is drawn in the end: what is exact follows what is quick, and may be some frames from being painted. */
  shown = async (): Promise<Buffer> => {
    const take = async () => {
      await this.page.locator('[data-test=zoom][data-exact=true]').waitFor()
      return this.page.locator('[data-test=picture] canvas').first().screenshot()
    }
    let before = await take()
    for (let n = 0; n < 20; n++) {
      await this.page.waitForTimeout(300)
      const now = await take()
      if (now.equals(before)) return now
      before = now
    }
    throw new Error('The picture does not come to rest.')
  }

  open = async (name: string): Promise<string> => {
    const id = await this.harness.pictureNamed(name)
    await this.harness.open(id, 'mend')
    await this.harness.test('stage-correct').click()
    await this.page.waitForURL(/correct$/)
    await this.page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
    await rest(this.page, 600)
    this.clicks = 0
    return id
  }

  /** A place of the picture on the page, x and y from 0 to 1. */
  at = async (x: number, y: number, size: PictureSize): Promise<[number, number]> => {
    const box = (await this.harness.test('picture').boundingBox())!
    const scale = Math.min(box.width / size.width, box.height / size.height)
    return [box.x + box.width / 2 + (x - 0.5) * size.width * scale, box.y + box.height / 2 + (y - 0.5) * size.height * scale]
  }

  tool = async (name: string, px?: number): Promise<void> => {
    await this.harness.test(`zone-${name}`).click()
    this.clicks++
    if (px === undefined) return
    await this.page.locator('[data-test=brush-size] input').fill(String(Math.round(px)))
    await this.page.keyboard.press('Enter')
  }

  stroke = async (size: PictureSize, points: readonly (readonly [number, number])[]): Promise<void> => {
    const { mouse } = this.page
    await mouse.move(...(await this.at(...points[0]!, size)))
    await mouse.down()
    // Each move waits for a frame: many points lie close enough by themselves.
    for (const point of points.slice(1)) await mouse.move(...(await this.at(...point, size)), { steps: points.length > 12 ? 1 : 4 })
    await mouse.up()
    this.clicks++
  }

  correct = async (id: string, operation: string): Promise<void> => {
    const before = (await this.steps(id)).length
    await this.harness.test('what-is-wrong').click()
    await this.harness.test(`offer-${operation}`).click()
    this.clicks += 2
    await expect.poll(async () => (await this.steps(id)).length).toBe(before + 1)
    await rest(this.page, 400)
  }

  /** Change a setting of the selected step by its number. */
  set = async (id: string, operation: string, name: string, value: number): Promise<void> => {
    await this.page.locator(`[data-test=set-${name}-number] input`).fill(String(value))
    await this.page.keyboard.press('Enter')
    await expect.poll(async () => (await this.steps(id)).findLast((step) => step.operation === operation)!.settings[name]).toBe(value)
  }

  /** Samples of a square of the result and of the mended picture, as 8 bits. */
  samplesAt = async (id: string, x: number, y: number, side: number): Promise<{ result: number[]; before: number[] }> => {
    const region = { x: Math.round(x), y: Math.round(y), width: side, height: side }
    const { treatment: now } = await this.harness.opened(id)
    const { depth } = now.original
    const [result, before] = await this.harness.workerBytes(id, [now, { ...now, operations: [] }].map((treatment) => ({ treatment, method: 'deliveredBytes', values: [region, depth] })))
    // Of 16 bits the high byte is the second.
    const samples = (bytes: number[]) => (depth === 8 ? bytes : bytes.filter((_, i) => i % 2 === 1))
    return { result: samples(result!), before: samples(before!) }
  }

  /** Mean absolute difference to the mended picture over a square of the result, of 255. */
  changeAt = async (id: string, x: number, y: number, side = 40): Promise<number> => {
    const { result, before } = await this.samplesAt(id, x, y, side)
    return result.reduce((sum, value, i) => sum + Math.abs(value - before[i]!), 0) / result.length
  }
}
