import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { createHash, randomUUID } from 'node:crypto'
import { writeFileSync } from 'node:fs'
import type { Page } from 'playwright-core'
import sharp from 'sharp'
import { arrival, runEnded, upload } from '../demo/load.js'
import { encodePicture } from '../codec/write.js'
import { readPicture, type DecodedPicture } from '../codec/read.js'
import { MemorySink } from '../codec/sink.js'
import { completeOutput } from '../core/output/output.js'
import { finishedPicture } from '../delivery/finished.js'
import { writeOutput } from '../delivery/write-output.js'
import { allOperations } from '../core/pipeline/registry.js'
import { makeOperationStep } from '../core/pipeline/make-step.js'
import { makeRandom } from '../core/random.js'
import { greyProfile, srgbProfile } from '../core/colour/profile.js'
import { rasterLevels } from '../core/raster/pyramid.js'
import { makeRaster, type IntegerRaster } from '../core/raster/raster.js'
import { makeTransfer } from '../core/raster/transfer.js'
import { Chain, contextOf } from '../core/pipeline/chain.js'
import type { OperationStep, Treatment } from '../core/treatment/schema.js'
import { rest } from './browser.js'
import { Harness } from './harness.js'

/** The stage Finish: proposals, sentences, test strip, chart, tools, frame, and the same bytes on screen and in the file. */

let harness: Harness
let page: Page
let picture: string
const NAME = 'stained-print.tif'
beforeAll(async () => {
  harness = await Harness.start([NAME])
  page = harness.page
  picture = await harness.pictureNamed(NAME)
  await harness.open(picture, 'mend')
})
afterAll(() => harness.stop())

const chain = async (id = picture) => (await harness.opened(id)).treatment.operations ?? []
const stepOf = async (operation: string) => (await chain()).find((step) => step.operation === operation)
const row = (operation: string) => page.locator(`[data-test=step][data-operation=${operation}]`)
/** The picture as it is drawn in the end: what is exact follows what is quick. */
async function shown(): Promise<Buffer> {
  await page.locator('[data-test=zoom][data-exact=true]').waitFor()
  return page.locator('[data-test=picture] canvas').first().screenshot()
}

describe('the stage line', () => {
  it('shows all seven stages and leads to each', async () => {
    expect(await page.locator('.stage-line .stop').count()).toBe(7)
    for (const stage of ['assemble', 'find', 'correct', 'rebuild']) {
      await harness.test(`stage-${stage}`).click()
      await page.waitForURL(new RegExp(`/${stage}$`))
    }
    await harness.test('stage-finish').click()
    await page.waitForURL(/\/finish$/)
    await page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
    await rest(page, 600)
  })
  it('tells under the picture, while no step is selected, what is open in each stage and the next thing to do', async () => {
    for (const stage of ['correct', 'rebuild', 'finish']) {
      await harness.test(`stage-${stage}`).click()
      await harness.test('overview').waitFor()
      expect(await harness.test('overview').locator('dt').allInnerTexts()).toEqual(['Find', 'Mend', 'Correct', 'Rebuild', 'Finish', 'Hand over'])
      await harness.test('tone-chart').waitFor()
    }
    await harness.test('next-thing').click()
    await page.waitForURL(/\/find$/)
    await harness.test('stage-finish').click()
    await page.waitForURL(/\/finish$/)
    await page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
    await rest(page, 600)
  })
})

describe('steps', () => {
  it('are proposed with their reasons, and seen in the picture', async () => {
    const before = await shown()
    await harness.test('propose-all').click()
    await expect.poll(async () => (await chain()).length).toBeGreaterThan(1)
    for (const step of await chain()) expect(step.note!.length).toBeGreaterThan(10)
    await harness.saved()
    await rest(page, 600)
    expect(Buffer.compare(before, await shown())).not.toBe(0)
    // In Mend the tone is seen too.
    await harness.test('stage-mend').click()
    await page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
    await harness.test('stage-finish').click()
    await page.waitForURL(/\/finish$/)
    await rest(page, 600)
  })
  it('are changed by their slider, by a number, and in the sentence itself; what is clipped is hatched while black moves', async () => {
    await row('black-and-white').click()
    const before = (await stepOf('black-and-white'))!.settings.blackDensity as number
    await page.locator('[data-test=set-blackDensity] [role=slider]').focus()
    for (let i = 0; i < 12; i++) await page.keyboard.press('ArrowLeft')
    await expect.poll(async () => (await stepOf('black-and-white'))!.settings.blackDensity).toBeCloseTo(before - 0.12, 5)
    await page.locator('[data-test=set-whiteDensity-number] input').fill('0.2')
    await page.keyboard.press('Enter')
    await expect.poll(async () => (await stepOf('black-and-white'))!.settings.whiteDensity).toBe(0.2)
    await expect.poll(async () => Number.parseFloat(await harness.test('clipped-light').innerText())).toBeGreaterThan(0)
    await row('black-and-white').locator('[data-test=value-whiteDensity]').click()
    await page.locator('[data-test=type-whiteDensity] input').fill('0.05')
    await page.keyboard.press('Enter')
    await expect.poll(async () => (await stepOf('black-and-white'))!.settings.whiteDensity).toBe(0.05)
    await page.keyboard.press('Escape')
    expect(await row('black-and-white').innerText()).toContain('D 0.05')
  })
  it('are tried at five values, of which a click takes one', async () => {
    await row('black-and-white').click()
    expect(await harness.test('strip-value').count()).toBe(5)
    await rest(page, 500)
    const before = (await stepOf('black-and-white'))!.settings
    await harness.test('strip-value').nth(3).click()
    await expect.poll(async () => (await stepOf('black-and-white'))!.settings).not.toEqual(before)
  })
  it('are added by saying what is wrong, switched, put in another order by keys, and taken out', async () => {
    await harness.test('what-is-wrong').click()
    await harness.test('offer-sharpen').click()
    await row('sharpen').waitFor()
    await harness.saved()
    await row('sharpen').locator('[data-test=step-switch]').click()
    await expect.poll(async () => (await stepOf('sharpen'))!.enabled).toBe(false)
    const at = async () => (await chain()).findIndex(({ operation }) => operation === 'sharpen')
    const was = await at()
    await row('sharpen').focus()
    await page.keyboard.press('Alt+ArrowUp')
    await expect.poll(at).toBe(was - 1)
    // Put back by its grip.
    await harness.saved()
    const [grip, next] = [await row('sharpen').locator('.grip').boundingBox(), await page.locator('[data-test=step]').nth(was).boundingBox()]
    await page.mouse.move(grip!.x + 3, grip!.y + 5)
    await page.mouse.down()
    await page.mouse.move(grip!.x + 3, grip!.y + 15, { steps: 4 })
    await page.mouse.move(grip!.x + 3, next!.y + next!.height - 6, { steps: 12 })
    await page.mouse.up()
    await expect.poll(at).toBe(was)
    await harness.saved()
    await row('sharpen').focus()
    await page.keyboard.press('Alt+ArrowUp')
    await expect.poll(at).toBe(was - 1)
    await row('sharpen').focus()
    await page.keyboard.press('Delete')
    await expect.poll(at).toBe(-1)
    await page.click('[data-test=undo]')
    await expect.poll(at).toBe(was - 1)
  })
  it('the curve is drawn on the histogram; its points are moved by pointer and by keys', async () => {
    await harness.test('what-is-wrong').click()
    await harness.test('offer-curve').click()
    await row('curve').waitFor()
    await harness.saved()
    const points = async () => (await stepOf('curve'))!.settings.points as [number, number][]
    expect(await harness.test('curve-point').count()).toBe(4)
    await harness.test('curve-point').nth(1).focus()
    for (let i = 0; i < 5; i++) await page.keyboard.press('ArrowUp')
    await expect.poll(async () => (await points())[1]![1]).toBeCloseTo(0.28, 5)
    const box = (await harness.test('curve-point').nth(2).boundingBox())!
    await harness.drag({ x: box.x + 4, y: box.y + 4 }, { x: box.x + 4, y: box.y - 16 })
    await expect.poll(async () => (await points())[2]![1]).toBeGreaterThan(0.82)
    await harness.test('curve-point').nth(1).focus()
    await page.keyboard.press('Delete')
    await expect.poll(async () => (await points()).length).toBe(3)
  })
})

describe('the pointer', () => {
  it('reads values before and after', async () => {
    const at = await harness.inView(0.5, 0.3)
    await page.mouse.move(at.x, at.y)
    await page.mouse.move(at.x + 2, at.y)
    await harness.test('sampled').waitFor()
    expect(await harness.test('sampled').innerText()).toMatch(/→.*L\*.*D /s)
  })
  it('picks a neutral point', async () => {
    await harness.test('finish-neutral').click()
    const at = await harness.inView(0.4, 0.3)
    await page.mouse.click(at.x, at.y)
    await expect.poll(async () => (await stepOf('neutral'))?.measured).toBeDefined()
  })
  it('turns the picture so that a line lies level', async () => {
    await harness.test('finish-level').click()
    const [a, b] = [await harness.inView(0.3, 0.5), await harness.inView(0.6, 0.52)]
    await page.mouse.click(a.x, a.y)
    await page.mouse.click(b.x, b.y)
    await expect.poll(async () => (await stepOf('turn'))?.settings.degrees as number).toBeLessThan(-1)
    // The line runs down to the right, so the picture is turned back by as much.
    expect((await stepOf('turn'))!.settings.degrees).toBeGreaterThan(-6)
  })
  it('cuts the frame, in a ratio that is kept, and the delivered picture is seen framed', async () => {
    await harness.test('finish-crop').click()
    await rest(page, 500)
    await harness.test('ratio').click()
    await page.getByRole('option', { name: '1:1', exact: true }).click()
    const handle = (await harness.test('crop-handle').nth(2).boundingBox())!
    await harness.drag({ x: handle.x + 5, y: handle.y + 5 }, { x: handle.x - 120, y: handle.y - 90 })
    await expect.poll(async () => (await stepOf('crop'))?.settings.width as number).toBeGreaterThan(20)
    // The step was made while the hand moved; the rest of the way is set on it.
    const again = (await harness.test('crop-handle').nth(2).boundingBox())!
    await harness.drag({ x: again.x + 5, y: again.y + 5 }, { x: again.x - 20, y: again.y - 20 })
    await page.waitForTimeout(700)
    const { settings } = (await stepOf('crop'))!
    expect(Math.abs((settings.width as number) - (settings.height as number))).toBeLessThanOrEqual(2)
    await harness.saved()
    await page.keyboard.press('Escape')
    await harness.test('framed').click()
    await rest(page, 900)
    expect(await page.locator('[data-test=frame]').count()).toBe(0)
    await harness.test('framed').click()
    await rest(page, 600)
    expect(await page.locator('[data-test=frame]').count()).toBe(1)
  })
})

describe('screen and file', () => {
  /** What is in the bytes of a file. */
  async function decoded(bytes: Uint8Array): Promise<DecodedPicture> {
    const path = `${harness.home}/file-${randomUUID()}`
    writeFileSync(path, bytes)
    return readPicture(path, path)
  }
  const hashOf = ({ data }: IntegerRaster): string => createHash('sha256').update(new Uint8Array(data.buffer, data.byteOffset, data.byteLength)).digest('hex')
  /** What is in the file that the server writes. */
  async function exported(id: string, depth: 8 | 16): Promise<string> {
    const ask = async (path: string, body?: unknown) => (await fetch(`${harness.address}${path}`, body ? { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) } : {})).json() as Promise<Record<string, unknown>>
    const run = await ask(`/api/pictures/${id}/exports`, { outputs: [{ format: 'tiff', depth }] })
    expect(await runEnded(harness.address, run.id as string)).toMatchObject({ state: 'done' })
    return hashOf((await decoded(await (await fetch(`${harness.address}/api/runs/${run.id as string}/files/0`)).arrayBuffer().then((buffer) => new Uint8Array(buffer)))).pixels)
  }

  for (const [channels, depth] of [[3, 8], [1, 16]] as const) {
    it(`every operation gives the same bytes in Chromium and in the file (${channels === 1 ? 'grey' : 'colour'}, ${depth} bit); off and on again gives them again`, async () => {
      const raster = makeRaster(150, 110, channels, depth)
      const random = makeRandom(9)
      const top = depth === 8 ? 255 : 65535
      for (let i = 0; i < raster.data.length; i++) raster.data[i] = Math.round(top * (0.2 + 0.5 * ((Math.floor(i / channels) % 150) / 150)) + (random.uniform() * top) / 10)
      const bytes = await encodePicture(raster, null, { icc: null, exif: null, resolutionPerInch: null }, { format: 'png', depth, quality: 90 })
      const original = await decoded(bytes)
      const id = (await arrival(harness.address, await upload(harness.address, harness.job, `bytes-${channels}-${depth}.png`, bytes))).picture!
      const some: Record<string, Record<string, unknown>> = {
        'black-and-white': { blackDensity: 1.2, whiteDensity: 0.15 }, cast: { redContrast: 1.3, blueOffset: 0.05 }, sharpen: { amount: 150 }, lens: { k1: 0.05 }, perspective: { corners: [[8, 6], [140, 3], [146, 104], [4, 100]] },
        neutral: { x: 60, y: 50 }, 'clear-specks': { sizePx: 5 }, contrast: { radiusPx: 12 }, 'clear-haze': { patchPx: 5 }, lighten: { band: 'dark' }, ...Object.fromEntries(['heal', 'clone', 'fill', 'lift'].map((name) => [name, { points: [[70, 50]], widthPx: 14 }])),
        draw: { strokes: [{ points: [[20, 30, 0.3], [90, 70, 0.8]], widthPx: 20, opacity: 60, hardness: 30, tone: channels === 1 ? [0.2] : [0.7, 0.2, 0.1], pen: 'size' }] },
        ...Object.fromEntries(['edge', 'sharpen-edge', 'texture'].map((name) => [name, { points: [[30, 30], [110, 80]], widthPx: 20 }])),
        bring: { rightPx: 12, turnDegrees: 3, mirrored: 'left-right' }, turn: { degrees: 4.2 }, crop: { x: 10, y: 8, width: 100, height: 70 }, size: { longestSidePx: 120 }, 'print-size': { widthCm: 2, perInch: 150 },
      }
      const base = { width: raster.width, height: raster.height, channels, profile: channels === 1 ? greyProfile(false) : srgbProfile(false) }
      const survey = new Chain(base, {}).survey(undefined, rasterLevels(raster, makeTransfer({ type: 'srgb' }, depth)).read)
      const { treatment } = await harness.opened(id)
      const withStep = (step: OperationStep): Treatment => ({ ...treatment, operations: [step] })
      const steps = allOperations().map(({ name }) => makeOperationStep('s', name, some[name] ?? {}, survey, contextOf(base)))
      const files: IntegerRaster[] = []
      for (const step of steps) {
        const sink = new MemorySink()
        await writeOutput(finishedPicture(original, 'bytes.png', withStep(step)), completeOutput({ format: 'tiff', depth }, depth), sink)
        files.push((await decoded(sink.bytes())).pixels)
      }
      const onScreen = await harness.workerHashes(id, files.map(({ width, height }, i) => ({ treatment: withStep(steps[i]!), method: 'deliveredBytes', values: [{ x: 0, y: 0, width, height }, depth] })))
      steps.forEach(({ operation }, i) => expect(onScreen[i], operation).toBe(hashOf(files[i]!)))

      // The server's file is that of the same code.
      const at = steps.findIndex(({ operation }) => operation === 'sharpen')
      const put = async (revision: number, step: OperationStep) => {
        const answer = await fetch(`${harness.address}/api/pictures/${id}/edits`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ revision, label: 'Set', operations: [...(revision > 0 ? [{ type: 'remove', list: 'operations', ids: ['s'] }] : []), { type: 'put', list: 'operations', items: [step] }] }) })
        expect(answer.status, await answer.clone().text()).toBe(200)
        return exported(id, depth)
      }
      expect(await put(0, steps[at]!)).toBe(onScreen[at])
      expect(await put(1, { ...steps[at]!, enabled: false })).toBe(hashOf(raster))
      expect(await put(2, steps[at]!)).toBe(onScreen[at])
    })
  }
  it('a print goes from proposals to a downloaded file by keys alone', async () => {
    await harness.open(picture, 'mend')
    await harness.test('stage-finish').focus()
    await page.keyboard.press('Enter')
    await page.waitForURL(/\/finish$/)
    await page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
    await page.locator('[data-home]').first().focus()
    await page.keyboard.press('p')
    await rest(page, 1200)
    await harness.saved()
    await harness.test('stage-hand-over').focus()
    await page.keyboard.press('Enter')
    await page.waitForURL(/hand-over$/)
    await page.waitForSelector('[data-test=export]:enabled')
    await harness.test('export').focus()
    await page.keyboard.press('Enter')
    await page.waitForSelector('[data-test=download]')
    const [download] = await Promise.all([page.waitForEvent('download'), harness.test('download').first().press('Enter')])
    const meta = await sharp(await download.path()).metadata()
    // The frame was cut to a square.
    expect(Math.abs(meta.width - meta.height)).toBeLessThanOrEqual(2)
  })
  it('nothing was complained of on the way', () => expect(harness.complaints).toEqual([]))
})
