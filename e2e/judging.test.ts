import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { Page } from 'playwright-core'
import type { Step } from '../core/treatment/schema.js'
import { rest } from './browser.js'
import { Harness } from './harness.js'

/** What a mend is judged and corrected by: sources, shapes, groups, comparing, the next best mend, drawings. */

let harness: Harness
let page: Page
let picture: string
const treatment = async () => (await harness.opened(picture)).treatment
const at = (x: number, y: number) => harness.inView(x, y)
const spotAt = async (x: number, y: number) => {
  const before = (await treatment()).steps.length
  const point = await at(x, y)
  await page.mouse.click(point.x, point.y)
  await expect.poll(async () => (await treatment()).steps.length).toBe(before + 1)
  await harness.ready()
}
/** Select with the select tool what lies at a place. */
const select = async (x: number, y: number) => {
  await page.keyboard.press('Escape')
  // A click right after a drag is the end of the drag.
  await rest(page, 350)
  const point = await at(x, y)
  await page.mouse.click(point.x, point.y)
  await page.waitForSelector('[data-test=selected-mark]')
}
const selectedStep = async (): Promise<Step> => {
  const { steps } = await treatment()
  return steps.find((step) => step.flaw === current)!
}
let current = ''

beforeAll(async () => {
  ;({ harness, page, picture } = await Harness.onBench('lower-station.tif'))
})
afterAll(() => harness.stop())

it('three spots are mended to begin with', async () => {
  await page.keyboard.press('s')
  await spotAt(0.3, 0.3)
  await spotAt(0.5, 0.3)
  await spotAt(0.7, 0.35)
  await page.keyboard.press('s')
  current = (await treatment()).flaws[0]!.id
})

describe('the source of a mend', () => {
  it('is mirrored, turned and scaled, shown at once and saved when it rests', async () => {
    await select(0.3, 0.3)
    await page.keyboard.press('4')
    await expect.poll(async () => (await selectedStep()).method).toBe('clone')
    await harness.ready()
    await page.click('[data-test=mirror]')
    await expect.poll(async () => (await selectedStep()).source?.mirror).toBe(true)
    await page.getByRole('slider', { name: 'Turned' }).focus()
    for (let i = 0; i < 5; i++) await page.keyboard.press('ArrowRight')
    await expect.poll(async () => Math.round(((await selectedStep()).source?.turn ?? 0) * 180 / Math.PI)).toBe(5)
    await page.getByRole('slider', { name: 'Scale', exact: true }).focus()
    await page.keyboard.press('ArrowRight')
    await expect.poll(async () => (await selectedStep()).source?.scale).toBeCloseTo(1.01, 5)
    expect((await selectedStep()).telltales).toBeDefined()
    await page.click('[data-test=undo]')
    await expect.poll(async () => (await selectedStep()).source?.scale).toBeUndefined()
  })

  it('goes by pixels with Alt and the arrows', async () => {
    await page.click('[data-test=picture]', { position: { x: 5, y: 5 } }).catch(() => undefined)
    await select(0.3, 0.3)
    const { dx, dy } = (await selectedStep()).source!
    await page.keyboard.press('Alt+ArrowRight')
    await page.keyboard.press('Alt+ArrowRight')
    await page.keyboard.press('Alt+ArrowDown')
    await expect.poll(async () => (await selectedStep()).source).toMatchObject({ dx: dx + 2, dy: dy + 1 })
  })

  it('snaps to where edges run on when that is asked for', async () => {
    await page.click('[data-test=snap-edge]')
    const mark = (await harness.test('source-mark').boundingBox())!
    const before = (await selectedStep()).source
    const middle = { x: mark.x + mark.width / 2, y: mark.y + mark.height / 2 }
    await harness.drag(middle, { x: middle.x + 25, y: middle.y + 25 })
    await expect.poll(async () => JSON.stringify((await selectedStep()).source)).not.toBe(JSON.stringify(before))
    await page.click('[data-test=snap-free]')
    await harness.saved()
  })
})

describe('shapes', () => {
  it('a spot is drawn out into a stroke', async () => {
    await select(0.5, 0.3)
    current = (await treatment()).flaws[1]!.id
    await page.click('[data-test=shape-draw-out]')
    await harness.drag(await at(0.5, 0.3), await at(0.53, 0.34), await at(0.56, 0.33))
    await expect.poll(async () => (await treatment()).flaws[1]!.shape.type).toBe('stroke')
    await harness.ready()
    await page.waitForSelector('[data-test=selected-mark]')
  })

  it('a stroke is split in two by a click, and joined again', async () => {
    await page.click('[data-test=shape-split]')
    const middle = await at(0.53, 0.34)
    await page.mouse.click(middle.x, middle.y)
    await expect.poll(async () => (await treatment()).flaws.length).toBe(4)
    await harness.ready()
    expect((await treatment()).steps).toHaveLength(4)
    const rows = harness.test('ledger-row')
    await rows.filter({ hasText: 'Stroke' }).nth(0).click()
    await rows.filter({ hasText: 'Stroke' }).nth(1).click({ modifiers: ['Control'] })
    await page.click('[data-test=join]')
    await expect.poll(async () => (await treatment()).flaws.length).toBe(3)
    await harness.ready()
    expect((await treatment()).flaws.filter(({ shape }) => shape.type === 'stroke')).toHaveLength(1)
  })

  it('is made wider, added to and taken from by drawing', async () => {
    await select(0.7, 0.35)
    const flaw = async () => (await treatment()).flaws.find(({ id }) => id === current)!
    current = (await treatment()).flaws.find(({ shape }) => shape.type === 'disc' && shape.x > 500)!.id
    const { r } = (await flaw()).shape as { r: number }
    await page.click('[data-test=shape-wider]')
    await expect.poll(async () => ((await flaw()).shape as { r: number }).r).toBeGreaterThan(1.05 * r)
    await harness.ready()
    await page.click('[data-test=shape-add]')
    await harness.drag(...(await Promise.all(Array.from({ length: 16 }, (_value, i) => at(0.72 + 0.02 * Math.cos(i / 2.4), 0.35 + 0.02 * Math.sin(i / 2.4))))))
    await expect.poll(async () => (await flaw()).shape.type).toBe('outline')
    await harness.ready()
    const points = async () => ((await flaw()).shape as { points: [number, number][] }).points
    const right = async () => Math.max(...(await points()).map(([x]) => x))
    const before = await right()
    await page.click('[data-test=shape-take]')
    await harness.drag(...(await Promise.all(Array.from({ length: 16 }, (_value, i) => at(0.745 + 0.012 * Math.cos(i / 2.4), 0.35 + 0.05 * Math.sin(i / 2.4))))))
    await expect.poll(right).toBeLessThan(before)
    await harness.ready()
    await page.click('[data-test=undo]')
    await expect.poll(right).toBe(before)
  })
})

describe('the order of mends', () => {
  it('is changed for one of them, and undone', async () => {
    await select(0.3, 0.3)
    const order = async () => (await treatment()).steps.map(({ id }) => id)
    const before = await order()
    await page.click('[data-test=order-top]')
    await expect.poll(order).toEqual([...before.slice(1), before[0]])
    await page.click('[data-test=order-bottom]')
    await expect.poll(order).toEqual(before)
    await page.click('[data-test=undo]')
    await expect.poll(order).toEqual([...before.slice(1), before[0]])
    await page.click('[data-test=undo]')
    await expect.poll(order).toEqual(before)
  })
})

describe('groups', () => {
  it('are chosen by a rectangle with Shift, and changed in one step each', async () => {
    await page.keyboard.press('Escape')
    await page.keyboard.press('Escape')
    await page.keyboard.down('Shift')
    await harness.drag(await at(0.2, 0.15), await at(0.85, 0.5))
    await page.keyboard.up('Shift')
    await harness.test('group').waitFor()
    expect(await harness.test('group').locator('h2').innerText()).toBe('3 flaws')
    const gestures = async () => (await harness.opened(picture)).revision
    const before = await gestures()
    await page.locator('[data-test=group-strength] [role=slider]').focus()
    await page.keyboard.press('ArrowLeft')
    await expect.poll(async () => (await treatment()).steps.every(({ strength }) => strength === 0.99)).toBe(true)
    await harness.saved()
    expect(await gestures()).toBe(before + 1)
    await page.click('[data-test=group-heal]')
    await expect.poll(async () => (await treatment()).steps.map(({ method }) => method)).toEqual(['heal', 'heal', 'heal'])
    await page.click('[data-test=group-settle]')
    await expect.poll(async () => (await treatment()).flaws.every(({ state }) => state === 'settled')).toBe(true)
    await page.click('[data-test=group-reset]')
    await expect.poll(async () => (await treatment()).steps.length).toBe(0)
    expect((await treatment()).flaws.every(({ state }) => state === 'open')).toBe(true)
    await page.click('[data-test=undo]')
    await expect.poll(async () => (await treatment()).steps.length).toBe(3)
  })

  it('are chosen by kind and size of the selected flaw, or all that is listed', async () => {
    await page.keyboard.press('Escape')
    await page.keyboard.press('Escape')
    await select(0.3, 0.3)
    await page.click('[data-test=alike-kind]')
    await rest(page, 200)
    expect(await page.locator('.row.grouped').count()).toBe(1)
    await page.keyboard.press('Escape')
    await page.click('[data-test=choose-listed]')
    expect(await harness.test('group').locator('h2').innerText()).toBe('3 flaws')
    await page.keyboard.press('Escape')
    await harness.test('group').waitFor({ state: 'detached' })
  })
})

describe('comparing', () => {
  const greyAt = (selector: string) => page.evaluate((where) => {
    const canvas = document.querySelector(where)!.querySelector('canvas')!
    const { data } = canvas.getContext('2d')!.getImageData(canvas.width / 2, canvas.height / 2, 1, 1)
    return data[3]
  }, selector)
  it('side by side shows the original, moved with the result', async () => {
    await page.keyboard.press('b')
    await harness.test('beside').waitFor()
    await rest(page, 800)
    expect(await harness.test('beside').innerText()).toContain('Original')
    expect(await greyAt('[data-test=beside]')).toBe(255)
    await page.keyboard.press('w')
    await rest(page, 400)
    expect(await harness.test('beside').innerText()).toContain('Without this mend')
    await page.keyboard.press('w')
    await page.keyboard.press('b')
    await harness.test('beside').waitFor({ state: 'detached' })
  })
  it('side by side keeps the whole picture in view when it is, and a closer look as close', async () => {
    const zoom = async () => Number.parseFloat(await harness.test('zoom').innerText())
    await page.keyboard.press('0')
    await rest(page)
    const whole = await zoom()
    await page.keyboard.press('b')
    await rest(page)
    expect(await zoom()).toBeLessThan(0.7 * whole)
    // Asked for before the stage has its size again.
    await page.keyboard.press('b')
    await page.keyboard.press('0')
    await rest(page)
    expect(await zoom()).toBe(whole)
    await page.keyboard.press('z')
    await rest(page)
    await page.keyboard.press('b')
    await rest(page)
    expect(await harness.test('zoom').innerText()).toBe('1 : 1')
    await page.keyboard.press('b')
    await harness.test('beside').waitFor({ state: 'detached' })
    await page.keyboard.press('0')
    await rest(page)
  })
  it('blinks between both until it is asked to stop', async () => {
    await page.keyboard.press('k')
    await page.locator('.banner', { hasText: 'Original' }).waitFor()
    await page.locator('.banner', { hasText: 'Original' }).waitFor({ state: 'detached' })
    await page.keyboard.press('k')
    await rest(page, 900)
    expect(await page.locator('.banner', { hasText: 'Original' }).count()).toBe(0)
  })
})

describe('telltales', () => {
  it('are drawn on asking: tone across the edge, grain by its fineness, the place a mend is from', async () => {
    await select(0.3, 0.3)
    for (const [name, what] of [['toneStep', '[data-test=line-profile]'], ['grain', '[data-test=line-spectrum]'], ['repeat', '[data-test=drawing] canvas']] as const) {
      await page.click(`[data-test=telltale-${name}]`)
      await page.waitForSelector(what)
    }
    await page.click('[data-test=telltale-repeat]')
    await harness.test('drawing').waitFor({ state: 'detached' })
  })

  it('a source that became poor is said, and the next best mend is offered, shown and taken', async () => {
    await page.keyboard.press('2')
    current = (await treatment()).flaws[0]!.id
    await harness.ready()
    const step = await selectedStep()
    // Another flaw comes to lie where the mend takes its pixels.
    const { shape } = (await treatment()).flaws[0]!
    const { x, y, r } = shape as { x: number; y: number; r: number }
    const { revision } = await harness.opened(picture)
    const flaw = { id: 'poor', kind: 'other', shape: { type: 'disc', x: x + step.source!.dx, y: y + step.source!.dy, r }, state: 'open', contrast: 0, weight: 0, confidence: 1, origin: 'hand' }
    const answer = await fetch(`${harness.address}/api/pictures/${picture}/edits`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ revision, label: 'From another window', operations: [{ type: 'put', list: 'flaws', items: [flaw] }] }) })
    expect(answer.status).toBe(200)
    await harness.test('poor-source').waitFor()
    expect(await harness.test('poor-source').innerText()).toContain('takes from an open flaw')
    await harness.test('offered').waitFor()
    await page.keyboard.press('n')
    await expect.poll(async () => JSON.stringify([(await selectedStep()).method, (await selectedStep()).source])).not.toBe(JSON.stringify([step.method, step.source]))
    await harness.test('poor-source').waitFor({ state: 'detached' })
  })

  it('all mends are reset at once when that is confirmed', async () => {
    await page.keyboard.press('Escape')
    await page.click('[data-test=reset-all]')
    await page.getByRole('button', { name: 'Reset all', exact: true }).click()
    await expect.poll(async () => (await treatment()).steps.length).toBe(0)
  })

  it('nothing was complained of on the way', () => expect(harness.complaints).toEqual([]))
})

describe('what is drawn by hand', () => {
  it('takes the method and strength that are set, one step over another', async () => {
    await page.keyboard.press('s')
    await page.click('[data-test=hand-clone]')
    await page.locator('[data-test=hand-strength] [role=slider]').focus()
    await page.keyboard.press('Home')
    for (let i = 0; i < 25; i++) await page.keyboard.press('ArrowRight')
    await spotAt(0.6, 0.7)
    await page.keyboard.press('Escape')
    const { steps } = await treatment()
    expect(steps.at(-1)).toMatchObject({ method: 'clone', strength: 0.3 })
  })
})
