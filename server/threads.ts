import { MessageChannel, type MessagePort } from 'node:worker_threads'
import { fileURLToPath } from 'node:url'
import { Piscina } from 'piscina'
import { ProblemError } from '@fennip/core/problem.js'
import { measuresFor, splitKinds } from '@fennip/core/find/whole-kinds.js'
import { searchTiles } from '@fennip/core/find/find.js'
import type { Find, FindOptions, TileFinds } from '@fennip/core/find/finds.js'
import type { LineFind } from '@fennip/core/find/line-judging/line-kinds.js'
import type { Region } from '@fennip/core/raster/raster.js'
import type { ExpectedShadow } from '@fennip/core/mend/lift/fit-shadow.js'
import type { PlacedMark } from '@fennip/core/series/apply-chart.js'
import type { SensorChart } from '@fennip/core/series/chart-schema.js'
import type { ExpectedMark, MarkMeasure } from '@fennip/core/series/measure-mark.js'
import type { Placement } from '@fennip/core/series/placement.js'
import type { JoinedPiece } from '@fennip/core/assemble/pieces/join.js'
import type { Placement as PiecePlacement } from '@fennip/core/assemble/pieces/sheet.js'
import type { Outline } from '@fennip/core/shape/shape.js'
import type { CarriedTreatment, Joining } from '@fennip/core/assemble/pieces/carry-treatment.js'
import type { Similarity } from '@fennip/core/rescan/similarity.js'
import type { BracketPart, FitResult, JoinedBefore, ShownThing, ZoneFrom } from './tasks/assemble-tasks.js'
import type { Output } from '@fennip/core/output/output.js'
import type { OutputPreview } from '@fennip/delivery/preview.js'
import type { ReportForm } from '@fennip/delivery/report/write-report.js'
import type { Delivery, ReportFrame, WantedFile, WrittenFile } from './tasks/output-tasks.js'
import type { MovedToRescan } from './tasks/rescan-tasks.js'
import type { Settings } from './settings.js'
import type { FileSays, TakenIn } from './tasks/tasks.js'
import type { ReadLimits } from '@fennip/codec/read.js'
import { partsOfFlaws } from '@fennip/core/mend/picture/mend-all.js'
import type { Original, SearchKind, Step, Treatment } from '@fennip/core/treatment/schema.js'

/** Which open flaws, and of some the shadow that is known from elsewhere. */
export interface KnownFlaws {
  readonly only: readonly string[]
  readonly expected: Readonly<Record<string, ExpectedShadow>>
}

/** The heavy tasks of tasks/tasks-entry.ts, run in threads; they are compiled by scripts/compile-server.ts. */
export class Threads {
  private readonly pool: Piscina

  /**
   * @param count  Threads at most.
   * @param idleMilliseconds  How long a thread without work is kept: a restorer looks at what was found for minutes, and a thread
   *                          that ended meanwhile would have to compile what it runs anew. Its memory it gives back sooner
   *                          (tasks/rest.ts).
   */
  constructor(private readonly settings: Pick<Settings, 'storage' | 'cacheFolder'>, count: number, idleMilliseconds = 10 * 60000) {
    this.pool = new Piscina({
      filename: fileURLToPath(new URL('../.fennip/compiled/tasks.mjs', import.meta.url)),
      minThreads: 0,
      maxThreads: count,
      idleTimeout: idleMilliseconds,
      // A thread that waits for work by an atomic wait could not rest meanwhile.
      atomics: 'disabled',
      // A search puts what others wait for first.
      stricterFIFO: true,
      // Searches make many small things that are soon forgotten: with more room for these they are cleared away less often.
      resourceLimits: { maxYoungGenerationSizeMb: 64 },
    })
  }

  private async run<T>(name: string, input: object, transferList: MessagePort[] = []): Promise<T> {
    const answer = (await this.pool.run({ where: { storage: this.settings.storage, cacheFolder: this.settings.cacheFolder }, ...input }, { name, transferList })) as { value: T } | { problem: { type: string; title: string; detail: string; status: number } }
    if ('value' in answer) return answer.value
    throw new ProblemError(answer.problem.type, answer.problem)
  }

  /** Look at a file without its pixels. @throws {ProblemError} when it cannot be used. */
  lookAt(path: string, name: string, limits: ReadLimits): Promise<FileSays> {
    return this.run('lookAt', { path, name, limits })
  }

  /** Decode an original whole and cut it into tiles. */
  takeIn(sha256: string, name: string, limits: ReadLimits, onProgress: (share: number) => boolean): Promise<TakenIn> {
    return this.runSteered('takeIn', { sha256, name, limits }, onProgress)
  }

  /** Write files of the result of a treatment. */
  writeOutputs(delivery: Delivery, wanted: readonly WantedFile[], onProgress: (share: number) => boolean): Promise<WrittenFile[]> {
    return this.runSteered('writeOutputs', { delivery, wanted }, onProgress)
  }

  /** Write the report of a picture in each of the forms. */
  writeReports(delivery: Delivery, frame: ReportFrame, forms: readonly { form: ReportForm; file: string }[], onProgress: (share: number) => boolean): Promise<{ bytes: number }[]> {
    return this.runSteered('writeReports', { delivery, frame, forms }, onProgress)
  }

  /** Move a treatment to another scan of the same print. */
  moveToRescan(treatment: Treatment, to: Original, onProgress: (share: number) => boolean): Promise<MovedToRescan> {
    return this.runSteered('moveToRescan', { treatment, to }, onProgress)
  }

  /** What a file will be. */
  previewOutput(delivery: Delivery, output: Output): Promise<OutputPreview> {
    return this.run('previewOutput', { delivery, output })
  }

  /**
   * Search an original, its tiles side by side.
   *
   * @param onShare  Told again and again how much is done; what it throws ends the search.
   */
  async search({ sha256, width, height }: Pick<Original, 'sha256' | 'width' | 'height'>, options: FindOptions, onShare: (share: number) => void): Promise<Find[]> {
    const tiles = searchTiles(width, height)
    const size = { width, height }
    const { placed, whole } = splitKinds(options.kinds)
    const searches = [whole, placed].filter((kinds) => kinds.length > 0)
    // Putting them together is one part more, in which a search can be ended too.
    const all = searches.length * tiles.length + 1
    let done = 0
    const ended = new Int32Array(new SharedArrayBuffer(Int32Array.BYTES_PER_ELEMENT))
    const searchAll = (kinds: readonly SearchKind[]) => Promise.all(kinds.length === 0 ? [] : tiles.map(async (tile) => {
      onShare(done / all)
      const finds = await this.searchTile(sha256, tile, { ...options, kinds }, ended)
      done++
      onShare(done / all)
      return finds
    }))
    // What only the whole picture tells is measured first: while the last tiles are searched for the rest, no thread has to wait.
    const wholes = searchAll(whole).then((measures) => Promise.all(whole.map((kind) => this.run<Find[]>('searchWhole', { kind, tiles: measures.map((tile) => measuresFor(kind, tile)), size }))))
    const lines = searchAll(placed).then(async (parts) => ({
      discs: parts.map(({ discs }) => ({ discs })),
      lines: parts.length === 0 ? [] : await this.run<LineFind[]>('searchLines', { tiles: parts.map(({ pieces }) => ({ pieces })), options, size }),
    }))
    const [{ discs, lines: found }, other] = await Promise.all([lines, wholes]).catch((reason: unknown) => {
      Atomics.store(ended, 0, 1)
      throw reason
    })
    const finds = await this.run<Find[]>('joinSearch', { tiles: discs, lines: found, whole: other.flat(), size })
    onShare(1)
    return finds
  }

  /** @param ended  Shared; its one number is set to anything but 0 when nobody waits for this any more. */
  searchTile(sha256: string, tile: Region, options: FindOptions, ended: Int32Array = new Int32Array(1)): Promise<TileFinds> {
    return this.run('searchTile', { sha256, tile, options, ended })
  }

  measurePlaces(sha256: string, places: readonly ExpectedMark[]): Promise<(MarkMeasure | null)[]> {
    return this.run('measurePlaces', { sha256, places })
  }

  placeChart(sha256: string, chart: SensorChart, aperture: number | null, placement: Placement): Promise<PlacedMark[]> {
    return this.run('placeChart', { sha256, chart, aperture, placement })
  }

  /**
   * Mend open flaws: where there are many, parts of the picture side by side.
   *
   * @param known  Which open flaws, and of some the shadow that is known from elsewhere; all when null.
   */
  async mendOpenFlaws(treatment: Treatment, known: KnownFlaws | null, onProgress: (share: number) => boolean): Promise<Step[]> {
    const mended = new Set(treatment.steps.map((step) => step.flaw))
    const only = known && new Set(known.only)
    const open = treatment.flaws.filter((flaw) => flaw.state === 'open' && !mended.has(flaw.id) && (!only || only.has(flaw.id)))
    const parts = partsOfFlaws(open, treatment.original.width)
    const done = parts.map(() => 0)
    let goOn = true
    const made: Promise<Step[]>[] = []
    for (const [k, { flaws, after }] of parts.entries()) {
      made.push(Promise.all(after.map((earlier) => made[earlier]!)).then(async (seen) => {
        if (!goOn || flaws.length === 0) return []
        const now = { ...treatment, steps: [...treatment.steps, ...seen.flat()] }
        const steps = await this.mendPart(now, { only: flaws.map(({ id }) => id), expected: known?.expected ?? {} }, (share) => {
          done[k] = share * flaws.length
          goOn = onProgress(done.reduce((sum, value) => sum + value, 0) / open.length) && goOn
          return goOn
        })
        // Some of them may have been left to the restorer.
        done[k] = flaws.length
        return steps
      }))
    }
    return (await Promise.all(made)).flat()
  }

  private mendPart(treatment: Treatment, known: KnownFlaws, onProgress: (share: number) => boolean): Promise<Step[]> {
    return this.runSteered('mendOpenFlaws', { treatment, ...known }, onProgress)
  }

  /** Run a task that tells its progress, and that is told when it is to stop: as soon as `onProgress` answers false. */
  private async runSteered<T>(name: string, input: object, onProgress: (share: number) => boolean): Promise<T> {
    const { port1, port2 } = new MessageChannel()
    port1.on('message', (share: number) => {
      if (!onProgress(share)) port1.postMessage('cancel')
    })
    try {
      return await this.run<T>(name, { ...input, port: port2 }, [port2])
    } finally {
      port1.close()
    }
  }

  /** Cut pieces out of a scan and fit them. */
  fitPieces(sha256: string, name: string, byHand: readonly (PiecePlacement & { piece: number })[], refit: boolean, onProgress: (share: number) => boolean): Promise<FitResult> {
    return this.runSteered('fitPieces', { sha256, name, byHand, refit }, onProgress)
  }

  /** Join the pieces of a scan into a file. */
  joinScan(treatment: Treatment, name: string, pieces: readonly Pick<JoinedPiece, 'placement' | 'gain'>[], before: JoinedBefore | null, file: string, onProgress: (share: number) => boolean): Promise<{ gaps: Outline[]; origin: Joining['origin']; carried: CarriedTreatment }> {
    return this.runSteered('joinScan', { treatment, name, pieces, before, file }, onProgress)
  }

  /** Lay the pieces of several scans on one sheet, into a file. */
  layScansTogether(scans: readonly { sha256: string; name: string }[], file: string, onProgress: (share: number) => boolean): Promise<{ width: number; height: number }> {
    return this.runSteered('layScansTogether', { scans, file }, onProgress)
  }

  /** Measure anew what steps of a treatment look at. */
  measureAnew(treatment: Treatment, steps: readonly string[], onProgress: (share: number) => boolean): Promise<Treatment> {
    return this.runSteered('measureAnew', { treatment, steps }, onProgress)
  }

  /** Bring what another picture shows into a zone, into a file. */
  bringOver(treatment: Treatment, zone: string, name: string, other: { sha256: string; name: string }, file: string, onProgress: (share: number) => boolean): Promise<{ turnDegrees: number; scale: number; gains: readonly number[] }> {
    return this.runSteered('bringOver', { treatment, zone, name, other, file }, onProgress)
  }

  /** Merge exposures into a file. @param chosen  Exposures for moving things, in their order; null where Fennip chooses. @param zones  Zones of the reference that are taken from one exposure. */
  mergeBracket(parts: readonly BracketPart[], reference: number, chosen: readonly (number | null)[], zones: readonly ZoneFrom[], treatment: Treatment, file: string, onProgress: (share: number) => boolean): Promise<{ things: ShownThing[]; ratios: number[]; reference: number; lie: Similarity[] }> {
    return this.runSteered('mergeBracket', { parts, reference, chosen, zones, treatment, file }, onProgress)
  }

  keepPatches(treatment: Treatment): Promise<Record<string, string>> {
    return this.run('keepPatches', { treatment })
  }

  stop(): Promise<void> {
    // Nobody waits any more for an answer that is on its way, and for the pool such an answer is an error.
    this.pool.on('error', () => undefined)
    return this.pool.destroy()
  }
}
