/** Tone of all cells of a picture, row by row; below 0 where a cell belongs to no region. */
interface Tones {
  readonly columns: number
  readonly rows: number
  readonly tone: Float32Array
}

/** Cells that hang together. */
export type Cluster = Int32Array

/** Steps of tone between the levels at which regions are told apart. */
const STEP = 4
/** A region is stable over so many steps when all of them together make it larger by no more than this: on a slope, small steps add up. */
const LEAST_STEPS = 3
const MOST_GROWTH = 1.3
/** Smaller regions are specks; larger ones than this share of the picture are part of it. */
const LEAST_CELLS = 30
const LARGEST_SHARE = 0.2

/**
 * Regions brighter than all around them whose extent hardly depends on the level of tone they are cut at.
 *
 * Matas, Chum, Urban and Pajdla 2002, "Robust wide baseline stereo from maximally stable extremal regions"; as there,
 * cells join in the order of their tone, and sets of them are united (Tarjan 1975).
 */
export function stableRegions({ columns, rows, tone }: Tones, sorted: Float32Array): Cluster[] {
  const lowest = sorted[Math.floor(0.4 * sorted.length)]!
  const sets = new CellSets(tone.length)
  const steps = cellsByStep(tone)
  const found: Cluster[] = []
  const isStable = (since: number, level: number, count: number) => since - level > LEAST_STEPS * STEP && count >= LEAST_CELLS && count < LARGEST_SHARE * tone.length
  for (let step = 0, level = 256 - STEP; ; step++, level -= STEP) {
    if (level < lowest || step === steps.length) {
      for (const root of sets.roots()) if (isStable(sets.since[root]!, level, sets.count[root]!)) found.push(sets.cellsFrom(sets.head[root]!, sets.count[root]!))
      return found
    }
    const cells = steps[step]!
    for (const i of cells) sets.add(i, level)
    for (const i of cells) {
      const column = i % columns
      if (column > 0 && sets.has(i - 1)) sets.unite(i, i - 1, level)
      if (column + 1 < columns && sets.has(i + 1)) sets.unite(i, i + 1, level)
      if (i >= columns && sets.has(i - columns)) sets.unite(i, i - columns, level)
      if (i + columns < rows * columns && sets.has(i + columns)) sets.unite(i, i + columns, level)
    }
    const joined = sets.takeJoined()
    for (const before of joined) sets.since[sets.rootOf(before.head)] = level
    for (const i of cells) sets.beginAt(i, level)
    for (const before of joined) {
      const root = sets.rootOf(before.head)
      if (sets.count[root]! <= MOST_GROWTH * before.first) sets.goOn(root, before)
      else if (isStable(before.since, level, before.count)) found.push(sets.cellsFrom(before.head, before.count))
    }
  }
}

/** Cells by the level at which they join, the brightest first, in reading order. */
function cellsByStep(tone: Float32Array): Int32Array[] {
  const stepOf = (value: number) => Math.max(0, Math.ceil((256 - STEP - value) / STEP))
  const counts = new Int32Array(256 / STEP)
  for (let i = 0; i < tone.length; i++) if (tone[i]! >= 0) counts[stepOf(tone[i]!)]!++
  const steps = Array.from(counts, (count) => new Int32Array(count))
  counts.fill(0)
  for (let i = 0; i < tone.length; i++) {
    if (tone[i]! < 0) continue
    const step = stepOf(tone[i]!)
    steps[step]![counts[step]!++] = i
  }
  return steps
}

/** Cells that hang together, as they were before they grew or joined others. */
interface Joined {
  readonly head: number
  readonly count: number
  readonly since: number
  readonly first: number
}

/** Disjoint sets of cells, each a chain from head to tail. */
class CellSets {
  private readonly parent: Int32Array
  private readonly next: Int32Array
  /** Level of the last change of a set, told of its root. */
  private readonly changed: Float32Array
  private joined: Joined[] = []
  /** All told of a set's root: how many cells, since which level it is about as large as it is, how many they were then, and its chain. */
  readonly count: Int32Array
  readonly since: Float32Array
  readonly first: Int32Array
  readonly head: Int32Array
  readonly tail: Int32Array

  constructor(cells: number) {
    this.parent = new Int32Array(cells).fill(-1)
    this.next = new Int32Array(cells)
    this.changed = new Float32Array(cells)
    this.count = new Int32Array(cells)
    this.since = new Float32Array(cells)
    this.first = new Int32Array(cells)
    this.head = new Int32Array(cells)
    this.tail = new Int32Array(cells)
  }

  has(i: number): boolean {
    return this.parent[i]! >= 0
  }

  add(i: number, level: number): void {
    this.parent[i] = i
    this.count[i] = 1
    this.since[i] = level
    this.changed[i] = level
    this.head[i] = i
    this.tail[i] = i
  }

  rootOf(i: number): number {
    const { parent } = this
    while (parent[i] !== i) {
      parent[i] = parent[parent[i]!]!
      i = parent[i]!
    }
    return i
  }

  unite(a: number, b: number, level: number): void {
    let larger = this.rootOf(a)
    let smaller = this.rootOf(b)
    if (larger === smaller) return
    if (this.count[larger]! < this.count[smaller]!) [larger, smaller] = [smaller, larger]
    this.remember(larger, level)
    this.remember(smaller, level)
    this.parent[smaller] = larger
    this.next[this.tail[larger]!] = this.head[smaller]!
    this.tail[larger] = this.tail[smaller]!
    this.count[larger]! += this.count[smaller]!
  }

  /** Keep what a set was at the level before, once a level. */
  private remember(root: number, level: number): void {
    if (this.changed[root] === level) return
    this.joined.push({ head: this.head[root]!, count: this.count[root]!, since: this.since[root]!, first: this.first[root]! })
    this.changed[root] = level
  }

  /** What a set is at the level it begins at is what it is held against. */
  beginAt(i: number, level: number): void {
    const root = this.rootOf(i)
    if (this.since[root] === level) this.first[root] = this.count[root]!
  }

  /** A set is about as large as one that is now in it. */
  goOn(root: number, before: Joined): void {
    this.since[root] = before.since
    this.first[root] = before.first
  }

  /** The sets of the level before that have grown or joined others since, and begin anew. */
  takeJoined(): Joined[] {
    const { joined } = this
    this.joined = []
    return joined
  }

  *roots(): Iterable<number> {
    for (let i = 0; i < this.parent.length; i++) if (this.parent[i] === i) yield i
  }

  /** So many cells of a chain: that of a set as it was stays whole when others are joined to it. */
  cellsFrom(head: number, count: number): Cluster {
    const cells = new Int32Array(count)
    for (let k = 0, i = head; k < count; k++, i = this.next[i]!) cells[k] = i
    return cells
  }
}
