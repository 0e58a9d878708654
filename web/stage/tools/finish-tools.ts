import { computed, shallowRef } from 'vue'
import type { Chain } from '@fennip/core/pipeline/chain.js'
import { useBench } from '../../store/bench.js'
import { useFinish } from '../../finish/finish.js'
import { useSteps } from '../../store/steps.js'

interface Point { readonly x: number; readonly y: number }

/** A place of the picture as it is turned and straightened, before it is cut: by Newton's method on the mapping to the base. */
function placeInFrame(chain: Chain, { x, y }: Point): Point {
  let [u, v] = [x, y]
  for (let n = 0; n < 12; n++) {
    const [px, py] = chain.toBase(u, v)
    const [ax, ay] = chain.toBase(u + 1, v)
    const [bx, by] = chain.toBase(u, v + 1)
    const [a, b, c, d] = [ax - px, bx - px, ay - py, by - py]
    const determinant = a * d - b * c
    if (Math.abs(determinant) < 1e-9) break
    const [ex, ey] = [x - px, y - py]
    const [du, dv] = [(d * ex - b * ey) / determinant, (a * ey - c * ex) / determinant]
    u += du
    v += dv
    if (Math.abs(du) + Math.abs(dv) < 1e-3) break
  }
  return { x: u, y: v }
}

/** What the pointer does to the picture in Finish: the place of the test strip, a neutral point, a level line, the crop, corners. */
export function useFinishTools() {
  const bench = useBench()
  const finish = useFinish()
  const list = useSteps()
  /** A line that is being drawn, or corners that are being set. */
  const points = shallowRef<readonly Point[]>([])
  const pointer = shallowRef<Point | null>(null)
  let held: { handle: number; from: Point; rectangle: Rectangle } | null = null
  let endedAt = 0

  interface Rectangle { x: number; y: number; width: number; height: number }

  /** The frame before it is cut, and the cut in it. */
  const uncut = computed(() => finish.frameBefore('crop'))
  const cut = computed<Rectangle>(() => {
    const { width, height } = uncut.value.delivered
    const step = list.steps.find(({ operation, enabled }) => operation === 'crop' && enabled)
    const settings = (step?.settings ?? {}) as Partial<Rectangle>
    const [x, y] = [settings.x ?? 0, settings.y ?? 0]
    return { x, y, width: Math.min(width - x, settings.width || width), height: Math.min(height - y, settings.height || height) }
  })
  /** Corners of the cut in the picture, from the top left clockwise. */
  const corners = computed(() => {
    const { x, y, width, height } = cut.value
    return [[x, y], [x + width, y], [x + width, y + height], [x, y + height]].map(([px, py]): Point => {
      const [bx, by] = uncut.value.toBase(px!, py!)
      return { x: bx, y: by }
    })
  })

  function press(at: Point, slack: number): boolean {
    held = null
    if (finish.tool !== 'crop') return false
    const handle = corners.value.findIndex((corner) => Math.hypot(corner.x - at.x, corner.y - at.y) < slack * 1.6)
    const from = placeInFrame(uncut.value, at)
    const { x, y, width, height } = cut.value
    if (handle >= 0) held = { handle, from, rectangle: cut.value }
    else if (from.x > x && from.y > y && from.x < x + width && from.y < y + height && (width < uncut.value.delivered.width || height < uncut.value.delivered.height)) held = { handle: 4, from, rectangle: cut.value }
    return held !== null
  }

  function move(at: Point): boolean {
    if (!held) return false
    const now = placeInFrame(uncut.value, at)
    const [dx, dy] = [now.x - held.from.x, now.y - held.from.y]
    const { width: fullWidth, height: fullHeight } = uncut.value.delivered
    let { x, y, width, height } = held.rectangle
    if (held.handle === 4) {
      x = Math.max(0, Math.min(fullWidth - width, x + dx))
      y = Math.max(0, Math.min(fullHeight - height, y + dy))
    } else {
      const [right, bottom] = [x + width, y + height]
      const left = held.handle === 0 || held.handle === 3
      const top = held.handle < 2
      let [nx, ny] = [left ? Math.max(0, Math.min(right - 16, x + dx)) : Math.min(fullWidth, Math.max(x + 16, right + dx)), top ? Math.max(0, Math.min(bottom - 16, y + dy)) : Math.min(fullHeight, Math.max(y + 16, bottom + dy))]
      const ratio = ratioOf()
      if (ratio) {
        const w = left ? right - nx : nx - x
        ny = top ? Math.max(0, bottom - w / ratio) : Math.min(fullHeight, y + w / ratio)
        const h = top ? bottom - ny : ny - y
        nx = left ? right - h * ratio : x + h * ratio
      }
      width = left ? right - nx : nx - x
      height = top ? bottom - ny : ny - y
      if (left) x = nx
      if (top) y = ny
    }
    cropTo({ x: Math.round(x), y: Math.round(y), width: Math.round(width), height: Math.round(height) })
    return true
  }

  /** Wanted width over height of the cut; null when it is free. */
  const ratio = shallowRef<string>('free')
  const ratioOf = () => {
    if (ratio.value === 'free') return null
    if (ratio.value === 'own') return bench.opened!.original.width / bench.opened!.original.height
    const [w, h] = ratio.value.split(':').map(Number)
    return w! / h!
  }

  function cropTo(rectangle: Rectangle): void {
    const step = list.saved.find(({ operation }) => operation === 'crop')
    if (step) list.adjust(step.id, rectangle as unknown as Record<string, unknown>)
    else if (!list.busy) void list.add('crop', rectangle as unknown as Record<string, unknown>)
  }

  function release(): void {
    if (held) endedAt = performance.now()
    held = null
  }

  function click(at: Point): void {
    if (finish.tool === 'look') list.place = at
    else if (finish.tool === 'neutral') {
      void finish.stepFor('neutral', { x: Math.round(at.x), y: Math.round(at.y) })
      finish.tool = 'look'
    } else if (finish.tool === 'level') {
      points.value = [...points.value, at]
      if (points.value.length === 2) level()
    } else if (finish.tool === 'corners') {
      points.value = [...points.value, at]
      if (points.value.length === 4) straighten()
    }
  }

  /** Turn the picture so that the line that was drawn lies level, or upright when it is nearer to that. */
  function level(): void {
    const [a, b] = points.value as [Point, Point]
    points.value = []
    finish.tool = 'look'
    let angle = (Math.atan2(b.y - a.y, b.x - a.x) * 180) / Math.PI
    while (angle > 45) angle -= 90
    while (angle < -45) angle += 90
    void finish.stepFor('turn', { degrees: Math.round(-angle * 100) / 100 })
  }

  /** The corners in the order top left, top right, bottom right, bottom left, however they were clicked. */
  function straighten(): void {
    const [mx, my] = [points.value.reduce((sum, { x }) => sum + x / 4, 0), points.value.reduce((sum, { y }) => sum + y / 4, 0)]
    const around = [...points.value].sort((p, q) => Math.atan2(p.y - my, p.x - mx) - Math.atan2(q.y - my, q.x - mx))
    const first = around.reduce((best, { x, y }, i) => (x + y < around[best]!.x + around[best]!.y ? i : best), 0)
    points.value = []
    finish.tool = 'look'
    void finish.stepFor('perspective', { corners: [0, 1, 2, 3].map((i) => { const { x, y } = around[(first + i) % 4]!; return [Math.round(x * 10) / 10, Math.round(y * 10) / 10] }) })
  }

  function hover(at: Point | null): void {
    pointer.value = at
  }
  function giveUp(): void {
    points.value = []
    held = null
  }

  return { points, pointer, corners, cut, ratio, setRatio: (wanted: string) => (ratio.value = wanted), press, move, release, click, hover, giveUp, holds: () => held !== null, justEnded: () => performance.now() - endedAt < 200 }
}
