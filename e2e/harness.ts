import { readdirSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import type { Browser, BrowserContextOptions, Locator, Page } from 'playwright-core'
import { inject } from 'vitest'
import { SEARCH_KINDS, type SearchKind, type Treatment } from '../core/treatment/schema.js'
import { testFiles } from '../demo/test-files.js'
import { loadDemo } from '../demo/load.js'
import type { DemoSize } from '../demo/pictures.js'
import { startServices, type Services } from '../scripts/services.js'
import { openBrowser, PATIENCE_MS, rest } from './browser.js'
import { emptyShelf, newHome, removeHome, type Host } from './host.js'

export interface Opened {
  readonly revision: number
  readonly treatment: Treatment
  readonly picture: { readonly original: { sha256: string; width: number; height: number; depth: 8 | 16; channels: 1 | 3 } }
}

/** What the application's worker is asked of a picture with a treatment: one of its methods, and what it takes. */
export interface WorkerQuestion {
  readonly treatment: Treatment
  readonly method: string
  readonly values: readonly unknown[]
}

export interface Point { readonly x: number; readonly y: number }

/** A Fennip with small demo pictures in a job of its own, and a page in Chromium: what every interface test starts from. */
export class Harness {
  private constructor(
    readonly home: string,
    readonly address: string,
    /** Its own Fennip; null where it is a guest of one that others use too. */
    readonly services: Services | null,
    readonly browser: Browser,
    readonly page: Page,
    readonly job: string,
    /** What the page complained of. */
    readonly complaints: string[],
  ) {}

  /**
   * As a guest of the Fennip that the run has started, or with one of its own where there is none.
   *
   * @param names   The demo files that are loaded.
   * @param frame   Size of camera frames; those of the series are half as wide and high.
   * @param print   Size of the print of the station; those of albums are half as wide and high.
   */
  static async start(names: readonly string[], context: BrowserContextOptions = {}, frame?: DemoSize, print?: DemoSize): Promise<Harness> {
    const host = inject('fennip')
    if (!host) return Harness.alone(names, context, frame, print)
    await emptyShelf(host.address)
    return Harness.at(host, null, names, context, frame, print)
  }

  /** With a Fennip of its own, whose parts may be killed. */
  static async alone(names: readonly string[], context: BrowserContextOptions = {}, frame?: DemoSize, print?: DemoSize): Promise<Harness> {
    const home = newHome()
    const services = await startServices({ home, logLevel: 'silent' })
    return Harness.at({ home, address: services.address }, services, names, context, frame, print)
  }

  private static async at({ home, address }: Host, services: Services | null, names: readonly string[], context: BrowserContextOptions, frame: DemoSize = { width: 1200, height: 800 }, print: DemoSize = { width: 750, height: 500 }): Promise<Harness> {
    const files = testFiles(frame, print).filter(({ name }) => names.includes(name))
    const job = await loadDemo(address, () => undefined, files)
    const browser = await openBrowser()
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 }, ...context })
    page.setDefaultTimeout(PATIENCE_MS)
    const complaints: string[] = []
    page.on('pageerror', (error) => complaints.push(String(error)))
    page.on('console', (message) => {
      if (message.type() === 'error') complaints.push(message.text().slice(0, 300))
    })
    return new Harness(home, address, services, browser, page, job, complaints)
  }

  /** The same with one picture open on the bench for mending. */
  static async onBench(name: string, frame?: DemoSize): Promise<{ harness: Harness; page: Page; picture: string }> {
    const harness = await Harness.start([name], {}, frame)
    const picture = await harness.pictureNamed(name)
    await harness.open(picture, 'mend')
    return { harness, page: harness.page, picture }
  }

  async stop(): Promise<void> {
    await this.browser.close()
    if (!this.services) return
    await this.services.remove()
    removeHome(this.home)
  }

  test(name: string): Locator {
    return this.page.locator(`[data-test=${name}]`)
  }

  async pictureNamed(name: string): Promise<string> {
    const { list } = (await (await fetch(`${this.address}/api/jobs/${this.job}`)).json()) as { list: { id: string; name: string }[] }
    return list.find((picture) => picture.name === name)!.id
  }

  async opened(picture: string): Promise<Opened> {
    return (await (await fetch(`${this.address}/api/pictures/${picture}`)).json()) as Opened
  }

  /**
   * Hashes of the bytes that the application's own worker answers in Chromium: spoken to in the messages of comlink, it asks
   * the server for no patch.
   */
  async workerHashes(picture: string, questions: readonly WorkerQuestion[]): Promise<string[]> {
    return (await this.askWorker(picture, questions, 'hash')) as string[]
  }

  /** The bytes themselves, of small regions: they are carried as numbers. */
  async workerBytes(picture: string, questions: readonly WorkerQuestion[]): Promise<number[][]> {
    return (await this.askWorker(picture, questions, 'bytes')) as number[][]
  }

  private async askWorker(picture: string, questions: readonly WorkerQuestion[], wanted: 'hash' | 'bytes'): Promise<(string | number[])[]> {
    const assets = fileURLToPath(new URL('../web/dist/assets/', import.meta.url))
    const script = readdirSync(assets).find((name) => name.startsWith('pixels.worker') && name.endsWith('.js'))!
    const { list } = (await (await fetch(`${this.address}/api/jobs/${this.job}`)).json()) as { list: { id: string }[] }
    const summary = list.find(({ id }) => id === picture)
    return this.page.evaluate(
      async ({ script, summary, questions, wanted }) => {
        const worker = new Worker(`/assets/${script}`, { type: 'module' })
        const call = (path: string, ...given: unknown[]) =>
          new Promise<unknown>((resolve, reject) => {
            const id = crypto.randomUUID()
            const listen = (event: MessageEvent) => {
              if ((event.data as { id: string }).id !== id) return
              worker.removeEventListener('message', listen)
              const said = event.data as { type: string; name?: string; value: unknown }
              if (said.type === 'HANDLER') reject(new Error(JSON.stringify(said.value)))
              else resolve(said.value)
            }
            worker.addEventListener('message', listen)
            worker.postMessage({ id, type: 'APPLY', path: [path], argumentList: given.map((value) => ({ type: 'RAW', value })) })
          })
        await call('open', summary)
        const answers: (string | number[])[] = []
        for (const { treatment, method, values } of questions) {
          await call('load', treatment, false)
          const bytes = (await call(method, ...values)) as Uint8Array<ArrayBuffer>
          answers.push(wanted === 'bytes' ? [...bytes] : [...new Uint8Array(await crypto.subtle.digest('SHA-256', bytes))].map((byte) => byte.toString(16).padStart(2, '0')).join(''))
        }
        worker.terminate()
        return answers
      },
      { script, summary, questions: [...questions], wanted },
    )
  }

  /** Open a picture on the bench and wait for its pixels. */
  async open(picture: string, stage: 'find' | 'mend' | 'rebuild' | 'finish' | 'hand-over'): Promise<void> {
    await this.page.goto(`${this.address}/jobs/${this.job}/pictures/${picture}/${stage}`)
    await this.page.waitForSelector('[data-test=picture][aria-busy=false] canvas')
    await rest(this.page, 500)
  }

  async saved(): Promise<void> {
    await this.page.waitForFunction(() => document.querySelector('[data-test=saved]')?.textContent === 'All saved')
  }

  /** Wait until no mend is being chosen and all is saved. */
  async ready(): Promise<void> {
    await this.page.waitForSelector('[data-test=method-heal]:not([disabled])')
    await this.saved()
  }

  /** Choose an option of a select by its words. */
  async choose(select: string, words: string): Promise<void> {
    await this.test(select).click()
    await this.page.getByRole('option', { name: words, exact: true }).locator('visible=true').click()
    await this.page.waitForTimeout(350)
  }

  /** Wait for long work to end. */
  async idle(): Promise<void> {
    await this.page.waitForSelector('[data-test=run]', { state: 'detached' })
    await rest(this.page, 300)
  }

  /** Search the open picture for one kind alone, and wait for what is found. */
  async searchFor(wanted: SearchKind): Promise<void> {
    for (const kind of SEARCH_KINDS) {
      const box = this.test(`kind-${kind}`).locator('input')
      if ((await box.isChecked()) !== (kind === wanted)) await this.test(`kind-${kind}`).click()
    }
    await this.page.click('[data-test=find]')
    // Rows may be there from a search before: only the run tells that this one has begun.
    await this.page.waitForSelector('[data-test=run]')
    await this.idle()
    await this.page.waitForSelector('[data-test=ledger-row]')
    await this.saved()
  }

  /** What the slip for finding says is to be expected: false finds on average, and at most. */
  async falseFindsTold(): Promise<{ mean: number; most: number }> {
    const [mean, most] = /About ([\d.]+) on average.* at most (\d+)\./.exec((await this.test('false-finds').textContent())!)!.slice(1).map(Number) as [number, number]
    return { mean, most }
  }

  /** Mend all that is open in the open picture, and wait until it is done. */
  async mendAllOpen(): Promise<void> {
    await this.page.click('[data-test=mend-all]')
    await this.page.waitForSelector('[data-test=run]')
    await this.page.waitForSelector('[data-test=run]', { state: 'detached' })
    await this.saved()
  }

  /** Middle and radius of the selected mark, in page pixels. */
  async selectedMark(): Promise<Point & { r: number }> {
    await rest(this.page, 400)
    const box = (await this.test('selected-mark').boundingBox())!
    return { x: box.x + box.width / 2, y: box.y + box.height / 2, r: box.width / 2 }
  }

  /** A place in the picture, as shares of the view. */
  async inView(x: number, y: number): Promise<Point> {
    const box = (await this.test('picture').boundingBox())!
    return { x: box.x + x * box.width, y: box.y + y * box.height }
  }

  async drag(...path: Point[]): Promise<void> {
    const { mouse } = this.page
    await mouse.move(path[0]!.x, path[0]!.y)
    await mouse.down()
    for (let k = 1; k < path.length; k++) {
      const [from, to] = [path[k - 1]!, path[k]!]
      for (let i = 1; i <= 6; i++) await mouse.move(from.x + ((to.x - from.x) * i) / 6, from.y + ((to.y - from.y) * i) / 6)
    }
    await this.page.waitForTimeout(80)
    await mouse.up()
  }
}
