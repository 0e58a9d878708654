import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { ProblemError } from '@fennip/core/problem.js'
import { applyEdit, emptyTreatment } from '@fennip/core/treatment/edit.js'
import type { Shape } from '@fennip/core/shape/shape.js'
import type { Flaw, Operation, Step, Telltales, Treatment } from '@fennip/core/treatment/schema.js'

/** A server that keeps a treatment, and workers that choose a mend when they are told to. */
const original = { sha256: 'a'.repeat(64), width: 1000, height: 800, channels: 3, depth: 8 } as const
let kept: { revision: number; treatment: Treatment }
let refuse: ProblemError | null
const saved: { label: string; operations: Operation[] }[] = []
const searches: string[][] = []
const undone: { kind: string; times: number }[] = []
/** Revisions that undo and redo were sent on. */
const onRevision: number[] = []
let listener: (event: { type: string; revision?: number; run?: string; state?: string; progress?: number }) => void
/** Chosen mends wait here until they are let go. */
const waiting: ((step: Step) => void)[] = []
let hold = false
const shownInWorkers: Operation[][] = []

const telltales = (severity: number): Telltales => ({
  leftover: { value: severity, limit: 1 }, toneStep: { value: 0, limit: 1 }, grain: { value: 1, limit: 0.2 }, repeat: { value: 0, limit: 1 }, taintedSource: { value: 0, limit: 1 },
})
const flawOf = (id: string, x: number, weight: number, more: Partial<Flaw> = {}): Flaw => ({ id, kind: 'dust', shape: { type: 'disc', x, y: 100, r: 10 }, state: 'open', contrast: -3, weight, confidence: 0.9, origin: 'found', ...more })
const stepOf = (id: string, flaw: string, severity = 0): Step => ({ id, stage: 'mend', flaw, method: 'heal', methodVersion: 2, shape: { type: 'disc', x: 50, y: 60, r: 10 }, softEdgePx: 3, strength: 1, seed: 0, source: { dx: 30, dy: 0 }, chosenBy: 'fennip', reason: 'test', telltales: telltales(severity) })

const failed = (id: string) => Promise.resolve({ id, kind: 'find', state: 'failed', progress: 1, problem: { detail: 'The disk is full.' } as { detail: string } | null })
/** What the server says of work that it is asked for. */
let readRun = failed

/** What the server says it has taken back, and how often the picture was read. */
let wentBack: Operation[] | null = null
let read = 0

vi.mock('../shared/api.js', () => ({
  listen: (_id: string, on: typeof listener) => {
    listener = on
    return () => undefined
  },
  api: {
    picture: () => (read++, Promise.resolve({ picture: { id: 'p', original, levels: 2, job: { id: 'j', title: 'x' } }, revision: kept.revision, treatment: kept.treatment, undoLabel: null, redoLabel: null, runs: [] })),
    edit: (_id: string, _revision: number, label: string, operations: Operation[]) => {
      if (refuse) return Promise.reject(refuse)
      kept = { revision: kept.revision + 1, treatment: applyEdit(kept.treatment, operations).treatment }
      saved.push({ label, operations })
      return Promise.resolve({ revision: kept.revision, rebased: false })
    },
    goBack: (_id: string, kind: string, revision: number, times: number) => {
      undone.push({ kind, times })
      onRevision.push(revision)
      kept = { ...kept, revision: kept.revision + 1 }
      if (!wentBack) return Promise.resolve({ revision: kept.revision })
      return Promise.resolve({ revision: kept.revision, operations: wentBack, undoLabel: 'Find dust', redoLabel: 'Leave' })
    },
    find: (_id: string, kinds: string[]) => {
      searches.push(kinds)
      return refuse ? Promise.reject(refuse) : Promise.resolve({ id: `r${searches.length}`, kind: 'find', state: 'queued', progress: 0 })
    },
    export: () => Promise.resolve({ id: 'handed', kind: 'export', state: 'queued', progress: 0 }),
    run: (id: string) => readRun(id),
  },
}))
vi.mock('../workers/pool.js', () => ({
  PixelPool: class {
    mender = {
      choose: (flaw: Flaw, _open: unknown, wishes: { id: string; method?: Step['method']; skipSources?: number }) => {
        const step = { ...stepOf(wishes.id, flaw.id), shape: flaw.shape, seed: wishes.skipSources ?? 0, ...(wishes.method ? { method: wishes.method } : {}) }
        return hold ? new Promise<Step>((resolve) => waiting.push(() => resolve(step))) : Promise.resolve(step)
      },
      quickHeal: (flaw: Flaw, _open: unknown, id: string) => Promise.resolve({ ...stepOf(id, flaw.id), shape: flaw.shape }),
      measure: () => Promise.resolve(telltales(0.5)),
    }
    helper = { growArea: (marks: { inside: Shape[] }) => Promise.resolve(marks.inside) }
    open = () => Promise.resolve()
    load = () => Promise.resolve()
    edit = (operations: Operation[]) => {
      shownInWorkers.push(operations)
      return Promise.resolve()
    }
    end = () => undefined
  },
}))
vi.stubGlobal('window', globalThis)
const { useBench } = await import('./bench.js')
const { useAreas } = await import('./areas.js')
const { useGroup } = await import('./bench/group.js')
const { useOutbox } = await import('./saving/outbox.js')
const { useShaping } = await import('./bench/shaping.js')

let bench: ReturnType<typeof useBench>
beforeEach(async () => {
  setActivePinia(createPinia())
  kept = {
    revision: 4,
    treatment: {
      ...emptyTreatment(original),
      flaws: [flawOf('light', 100, 10), flawOf('heavy', 700, 90, { state: 'mended' }), flawOf('large', 400, 30, { shape: { type: 'disc', x: 400, y: 700, r: 40 } }), flawOf('kept', 500, 20, { state: 'left' }), flawOf('done', 600, 15, { state: 'settled' })],
      steps: [stepOf('m1', 'heavy', 2), stepOf('m2', 'done')],
    },
  }
  refuse = null
  hold = false
  for (const list of [saved, searches, undone, onRevision, waiting, shownInWorkers]) list.length = 0
  bench = useBench()
  await bench.open('p')
})

describe('a search', () => {
  it('that is asked for twice before the server answers is begun once', async () => {
    await Promise.all([bench.find(['dust'], 3), bench.find(['dust'], 3)])
    expect(searches).toEqual([['dust']])
    expect(bench.run?.id).toBe('r1')
  })
  it('does not keep other work from being begun', async () => {
    await Promise.all([bench.find(['dust'], 3), bench.handOver({ outputs: [{ format: 'tiff', depth: 16 }] })])
    expect(bench.runs.map(({ id }) => id).sort()).toEqual(['handed', 'r1'])
  })
  it('can be asked for again after it was refused', async () => {
    refuse = new ProblemError('changed-elsewhere', { title: 'x', detail: 'The picture is being searched.', status: 409 })
    await bench.find(['dust'], 3)
    expect(bench.problem).toBe('The picture is being searched.')
    refuse = null
    await bench.find(['speck'], 3)
    expect(searches).toEqual([['dust'], ['speck']])
  })
})

describe('the ledger', () => {
  const ids = () => bench.ledger.map(({ id }) => id)
  it('lists the heaviest first, or the largest, or what shows most, or in reading order', () => {
    expect(ids()).toEqual(['heavy', 'large', 'kept', 'done', 'light'])
    bench.order = 'size'
    expect(ids()[0]).toBe('large')
    bench.order = 'telltale'
    expect(ids()).toEqual(['heavy', 'light', 'large', 'kept', 'done'])
    bench.order = 'reading'
    expect(ids()).toEqual(['light', 'kept', 'done', 'heavy', 'large'])
  })
  it('shows what is open, to judge, left, or what shows', () => {
    for (const [filter, expected] of [['open', ['large', 'light']], ['judge', ['heavy']], ['left', ['kept']], ['shows', ['heavy']]] as const) {
      bench.filter = filter
      expect(ids()).toEqual(expected)
    }
  })
  it('ranks by what is seen in the size the picture is made for, and knows what nobody will see', () => {
    const group = useGroup()
    expect(bench.unseen.size).toBe(0)
    bench.deliveredSide = Math.max(bench.opened!.original.width, bench.opened!.original.height) / 20
    expect([...bench.unseen]).toEqual(['light'])
    expect(ids()).toEqual(['heavy', 'large', 'kept', 'done', 'light'])
    group.chooseUnseen()
    expect(bench.selectedId).toBe('light')
    expect(bench.group.size).toBe(0)
    // The large one loses least of its weight to the noise.
    bench.deliveredSide /= 6
    expect(ids()[0]).toBe('large')
    group.chooseUnseen()
    expect([...bench.group].sort()).toEqual(['done', 'kept', 'light'])
    bench.deliveredSide = 0
    expect(bench.unseen.size).toBe(0)
  })
  it('knows which finds are doubtful while nobody has decided of them, and lists these first when asked', async () => {
    const group = useGroup()
    expect(bench.doubtful.size).toBe(0)
    kept.treatment = { ...kept.treatment, flaws: kept.treatment.flaws.map((flaw) => ({ ...flaw, confidence: { light: 0.45, heavy: 0.2, large: 0.5, kept: 0.1, done: 0.3 }[flaw.id]! })) }
    kept.treatment = { ...kept.treatment, flaws: [...kept.treatment.flaws, flawOf('charted', 300, 5, { origin: 'chart', confidence: 0.1 })] }
    await bench.open('p')
    expect([...bench.doubtful].sort()).toEqual(['heavy', 'light'])
    bench.order = 'doubt'
    expect(ids()).toEqual(['heavy', 'light', 'large', 'kept', 'done', 'charted'])
    group.chooseDoubtful()
    expect([...bench.group].sort()).toEqual(['heavy', 'light'])
  })
  it('counts states and what shows', () => {
    expect(bench.counts).toEqual({ open: 2, mended: 1, settled: 1, left: 1, shows: 1 })
  })
  it('is stepped through and stops at its ends', () => {
    bench.stepThrough(1)
    expect(bench.selectedId).toBe('heavy')
    bench.stepThrough(-1)
    expect(bench.selectedId).toBe('heavy')
    bench.stepThrough(1)
    expect(bench.selectedId).toBe('large')
  })
})

describe('gestures', () => {
  it('are on screen at once and saved in order', async () => {
    bench.selectedId = 'heavy'
    const settle = bench.setState('settled')
    await settle
    expect(bench.flaws.find(({ id }) => id === 'heavy')!.state).toBe('settled')
    // The next of the ledger is selected, so that judging goes on.
    expect(bench.selectedId).toBe('large')
    await bench.setState('left')
    await bench.settled()
    expect(saved.map(({ label }) => label)).toEqual(['Settle dust at 700, 100', 'Leave dust at 400, 700'])
    expect(kept.treatment).toEqual(bench.treatment)
    expect(bench.revision).toBe(6)
    expect(useOutbox().count).toBe(0)
  })
  it('leaving a flaw takes its mend out with it', async () => {
    bench.selectedId = 'heavy'
    await bench.setState('left')
    await bench.settled()
    expect(kept.treatment.steps.map(({ id }) => id)).toEqual(['m2'])
  })
  it('are kept and tried again while the server cannot save', async () => {
    refuse = new ProblemError('database-unreachable', { title: 'The database cannot be reached', detail: 'x', status: 503 })
    bench.selectedId = 'heavy'
    await bench.setState('settled')
    await vi.waitFor(() => expect(useOutbox().trouble).toBe('The database cannot be reached'))
    expect(useOutbox().count).toBe(1)
    refuse = null
    await vi.waitFor(() => expect(useOutbox().count).toBe(0), { timeout: 5000 })
    expect(useOutbox().trouble).toBeNull()
    expect(saved.map(({ label }) => label)).toEqual(['Settle dust at 700, 100'])
  })
  it('that are refused for good are said, and the screen goes back to what is saved', async () => {
    refuse = new ProblemError('changed-elsewhere', { title: 'x', detail: 'It was changed in another window.', status: 409 })
    bench.selectedId = 'heavy'
    await bench.setState('settled')
    await vi.waitFor(() => expect(bench.problem).toContain('It was changed in another window.'))
    await vi.waitFor(() => expect(bench.flaws.find(({ id }) => id === 'heavy')!.state).toBe('mended'))
  })
  it('taken back wait until all is saved', async () => {
    bench.selectedId = 'heavy'
    void bench.setState('settled')
    await bench.goBack('undo', 3)
    expect(saved).toHaveLength(1)
    expect(undone).toEqual([{ kind: 'undo', times: 3 }])
  })
  it('taken back change what the server says they change, and the picture is not read anew', async () => {
    wentBack = [{ type: 'setState', ids: ['heavy'], state: 'left' }]
    read = 0
    await bench.goBack('undo')
    wentBack = null
    expect(bench.flaws.find(({ id }) => id === 'heavy')!.state).toBe('left')
    expect([bench.undoLabel, bench.redoLabel, bench.revision]).toEqual(['Find dust', 'Leave', kept.revision])
    expect(shownInWorkers.at(-1)).toEqual([{ type: 'setState', ids: ['heavy'], state: 'left' }])
    expect(read).toBe(0)
    // An answer that was lost and asked for again says no more than the revision.
    await bench.goBack('redo')
    expect(read).toBe(1)
  })
  it('and made again at once wait for one another: each is sent on what the one before has left', async () => {
    await Promise.all([bench.goBack('undo'), bench.goBack('redo'), bench.goBack('undo')])
    expect(undone.map(({ kind }) => kind)).toEqual(['undo', 'redo', 'undo'])
    const [first] = onRevision as [number]
    expect(onRevision).toEqual([first, first + 1, first + 2])
  })
})

describe('mends', () => {
  it('by hand are shown at once by a heal and saved as what was chosen, in one gesture', async () => {
    await bench.addSpot(300.04, 200)
    await bench.settled()
    expect(saved).toHaveLength(1)
    expect(saved[0]!.label).toBe('Mend a spot at 300, 200')
    const flaw = kept.treatment.flaws.at(-1)!
    expect(flaw).toMatchObject({ kind: 'other', origin: 'hand', state: 'mended', shape: { x: 300, y: 200 } })
    expect(bench.selectedId).toBe(flaw.id)
    // The first thing the workers were shown has the id of what was saved in the end: it is replaced, not doubled.
    expect((shownInWorkers[0]![1] as { items: Step[] }).items[0]!.id).toBe(kept.treatment.steps.at(-1)!.id)
  })
  it('of drawn shapes say what was drawn', async () => {
    await bench.addShape({ type: 'stroke', points: [[1, 1], [50, 50]], width: 6 })
    await bench.addShape({ type: 'outline', points: [[1, 1], [50, 50], [1, 50]] })
    await bench.settled()
    expect(saved.map(({ label }) => label)).toEqual(['Mend along a stroke at 26, 26', expect.stringMatching(/^Mend an outline at \d+, \d+$/)])
  })
  it('that were being chosen for a flaw taken out meanwhile are dropped', async () => {
    bench.selectedId = 'light'
    hold = true
    const mending = bench.mendSelected()
    await vi.waitFor(() => expect(waiting).toHaveLength(1))
    await bench.change('Take out', [{ type: 'remove', list: 'flaws', ids: ['light'] }])
    waiting[0]!({} as Step)
    await mending
    await bench.settled()
    expect(kept.treatment.flaws.some(({ id }) => id === 'light')).toBe(false)
    expect(saved.map(({ label }) => label)).toEqual(['Take out'])
  })
  it('another one asks for the next best each time; of a lift it is a heal', async () => {
    bench.selectedId = 'heavy'
    await bench.otherSource()
    await bench.otherSource()
    expect(kept.treatment.steps.find(({ flaw }) => flaw === 'heavy')!.seed).toBe(2)
    await bench.mendSelected('lift')
    await bench.otherSource()
    expect(kept.treatment.steps.find(({ flaw }) => flaw === 'heavy')).toMatchObject({ method: 'heal', seed: 1 })
  })
  it('taken out leave a found flaw open and take one drawn by hand with them', async () => {
    bench.selectedId = 'heavy'
    await bench.takeOut()
    expect(bench.flaws.find(({ id }) => id === 'heavy')!.state).toBe('open')
    await bench.addSpot(10, 10)
    const { length } = bench.flaws
    await bench.takeOut()
    expect(bench.flaws).toHaveLength(length - 1)
  })
})

describe('settings of a mend', () => {
  it('are shown while they move and saved once, with new telltales, when they rest', async () => {
    bench.selectedId = 'heavy'
    for (const strength of [0.9, 0.7, 0.4]) bench.adjust({ strength })
    expect(bench.selectedStep!.strength).toBe(0.4)
    await vi.waitFor(() => expect(saved).toHaveLength(1), { timeout: 3000 })
    expect(saved[0]!.label).toBe('Set the strength at 50, 60')
    expect(kept.treatment.steps[0]).toMatchObject({ strength: 0.4, telltales: { leftover: { value: 0.5 } } })
  })
  it('are not lost when another flaw is selected at once', async () => {
    bench.selectedId = 'heavy'
    bench.adjust({ softEdgePx: 9 })
    bench.selectedId = 'light'
    await bench.settled()
    expect(kept.treatment.steps[0]!.softEdgePx).toBe(9)
    expect(saved.map(({ label }) => label)).toEqual(['Set the soft edge at 50, 60'])
  })
  it('of a tool are diameters for spots and widths for strokes', () => {
    bench.tool = 'spot'
    bench.toolSize = 41
    expect(bench.spotRadius).toBe(21)
    bench.tool = 'stroke'
    bench.toolSize = 7
    expect([bench.strokeWidth, bench.toolSize, bench.spotRadius]).toEqual([7, 7, 21])
    bench.toolSize = 0
    expect(bench.toolSize).toBe(2)
  })
})

describe('news of the server', () => {
  it('of a change in another window brings it on screen', async () => {
    kept = { revision: 9, treatment: { ...kept.treatment, flaws: [...kept.treatment.flaws, flawOf('new', 5, 1)] } }
    listener({ type: 'revision', revision: 9 })
    await vi.waitFor(() => expect(bench.flaws).toHaveLength(6))
  })
  it('of work that failed says why', async () => {
    listener({ type: 'run', run: 'r', state: 'failed', progress: 1 })
    await vi.waitFor(() => expect(bench.problem).toBe('The disk is full.'))
  })
  it('of work that has ended holds, though an answer from before its end comes later', async () => {
    const answers: ((state: string) => void)[] = []
    readRun = (id) => new Promise((resolve) => answers.push((state) => resolve({ id, kind: 'find', state, progress: 1, problem: null })))
    listener({ type: 'run', run: 'late', state: 'running', progress: 0.4 })
    listener({ type: 'run', run: 'late', state: 'done', progress: 1 })
    answers[1]!('done')
    await vi.waitFor(() => expect(bench.runs.map(({ state }) => state)).toEqual(['done']))
    answers[0]!('running')
    await bench.settled()
    expect([bench.runs.map(({ state }) => state), bench.run]).toEqual([['done'], null])
    readRun = failed
  })
})

const last = () => saved.at(-1)!

describe('a group', () => {
  it('is chosen by likeness to the selected flaw, by a rectangle, or one by one', () => {
    const group = useGroup()
    bench.selectedId = 'light'
    group.chooseAlike('size')
    expect([...bench.group].sort()).toEqual(['done', 'heavy', 'kept', 'light'])
    group.clear()
    group.addWithin({ x: 350, y: 650, width: 100, height: 100 })
    expect([...bench.group]).toEqual(['large'])
    group.clear()
    group.toggle('heavy')
    expect([...bench.group].sort()).toEqual(['heavy', 'light'])
    group.toggle('light')
    expect([...bench.group]).toEqual(['heavy'])
  })
  it('is mended, adjusted and reset in one gesture each', async () => {
    const group = useGroup()
    bench.group = new Set(['light', 'large'])
    await group.mend('fill')
    expect(bench.stepOf.get('light')!.method).toBe('fill')
    expect(bench.stepOf.get('large')!.method).toBe('fill')
    await group.adjust({ strength: 0.4 }, 'Set the strength')
    expect(group.steps.map(({ strength }) => strength)).toEqual([0.4, 0.4])
    expect(group.steps[0]!.telltales!.leftover.value).toBe(0.5)
    await group.reset()
    await bench.settled()
    expect(saved.slice(-3).map(({ label }) => label)).toEqual(['Mend 2 flaws by fill', 'Set the strength of 2 mends', 'Reset 2 flaws'])
    expect(kept.treatment.flaws.filter(({ id }) => id === 'light' || id === 'large').map(({ state }) => state)).toEqual(['open', 'open'])
    expect(kept.treatment.steps.some(({ flaw }) => flaw === 'light' || flaw === 'large')).toBe(false)
  })
  it('that is cancelled changes nothing', async () => {
    const group = useGroup()
    const before = saved.length
    hold = true
    bench.group = new Set(['light', 'large'])
    const working = group.mend()
    await vi.waitFor(() => expect(waiting.length).toBeGreaterThan(0))
    group.cancel()
    hold = false
    for (const go of waiting.splice(0)) (go as () => void)()
    await working
    expect(saved).toHaveLength(before)
    expect(group.progress).toBeNull()
  })
})

describe('shapes', () => {
  it('are widened, and a stroke that is split becomes two flaws with a mend each, in one gesture', async () => {
    const shaping = useShaping()
    bench.selectedId = 'light'
    await shaping.widen(1.1)
    expect(bench.selected!.shape).toMatchObject({ r: 11 })
    await bench.addShape({ type: 'stroke', points: [[100, 300], [300, 300]], width: 8 })
    const stroke = bench.selectedId!
    const flaws = bench.flaws.length
    shaping.begin('split')
    expect(bench.tool).toBe('shape')
    await shaping.click({ x: 200, y: 302 })
    await bench.settled()
    expect(bench.flaws).toHaveLength(flaws + 1)
    expect(last()).toMatchObject({ label: 'Split a stroke' })
    expect(bench.flaws.find(({ id }) => id === stroke)!.shape).toMatchObject({ points: [[100, 300], [200, 300]] })
    expect(bench.tool).toBe('select')
  })
})

describe('guards', () => {
  it('are drawn, grown, renamed, made zones and taken out, each a gesture', async () => {
    const areas = useAreas()
    bench.tool = 'area'
    areas.drawWith = 'outline'
    await areas.drawn({ type: 'outline', points: [[0, 0], [90, 0], [90, 90]] })
    areas.drawWith = 'grow'
    areas.mode = 'take'
    await areas.drawn({ type: 'stroke', points: [[10, 5], [40, 5]], width: 6 })
    expect(areas.grown).toHaveLength(1)
    await areas.keep()
    expect(bench.areas[0]!.parts.map(({ mode }) => mode)).toEqual(['add', 'take'])
    await areas.rename('  Roof ')
    await areas.setRole('zone')
    expect(bench.guards).toEqual([])
    await areas.remove()
    await bench.settled()
    expect(saved.slice(-5).map(({ label }) => label)).toEqual(['Draw Guard 1', 'Take from Guard 1', 'Name Roof', 'Make Roof a zone', 'Take out Roof'])
    expect(kept.treatment.areas).toEqual([])
  })
})

describe('what is decided together', () => {
  const line = (id: string, y: number, more: Partial<Flaw> = {}): Flaw => flawOf(id, 0, 40, { kind: 'wire', shape: { type: 'stroke', points: [[10, y], [900, y + 5]], width: 3 }, contrast: -6, ...more })
  const put = async (...items: Flaw[]) => {
    await bench.change('Put', [{ type: 'put', list: 'flaws', items }])
    await bench.settled()
  }
  it('lines that may be wires are asked for while nobody has decided on them', async () => {
    expect(bench.wires).toEqual([])
    await put(line('w1', 50), line('w2', 90), line('w3', 130, { state: 'left' }))
    expect(bench.wires.map(({ id }) => id)).toEqual(['w1', 'w2'])
    await bench.decideWires(false)
    await bench.settled()
    expect(saved.at(-1)).toMatchObject({ label: '2 dark lines belong to the picture', operations: [{ type: 'setState', ids: ['w1', 'w2'], state: 'left' }] })
    expect(bench.wires).toEqual([])
  })
  it('as flaws they become hairs, which are mended with all others', async () => {
    await put(line('w1', 50))
    await bench.decideWires(true)
    await bench.settled()
    expect(bench.flaws.find(({ id }) => id === 'w1')).toMatchObject({ kind: 'hair', state: 'open' })
    const before = saved.length
    await bench.decideWires(true)
    expect(saved).toHaveLength(before)
  })
  it('all that look like one are chosen, or left in one gesture with their mends taken out', async () => {
    const group = useGroup()
    await put(flawOf('alike', 200, 12), flawOf('bright', 250, 12, { contrast: 3 }), flawOf('speck', 300, 12, { kind: 'speck' }))
    bench.selectedId = 'light'
    group.chooseAlike('look')
    expect([...bench.group].sort()).toEqual(['alike', 'done', 'heavy', 'kept', 'light'])
    group.clear()
    bench.selectedId = 'light'
    await group.leaveAlike()
    await bench.settled()
    expect(saved.at(-1)!.label).toBe('Leave 3 flaws')
    // What was settled stays settled; what looks otherwise stays open.
    const states = Object.fromEntries(bench.flaws.map(({ id, state }) => [id, state]))
    expect(states).toMatchObject({ light: 'left', alike: 'left', heavy: 'left', done: 'settled', bright: 'open', speck: 'open', large: 'open' })
    expect(bench.steps.map(({ flaw }) => flaw)).toEqual(['done'])
    expect(bench.group.size).toBe(0)
  })
})
