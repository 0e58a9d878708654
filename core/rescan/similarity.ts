import { moveShape, type Shape } from '../shape/shape.js'

/**
 * How a picture lies in another scan of the same print: (x, y) goes to (a x - b y + right, b x + a y + down), in pixels of
 * each with centres at .5. a and b hold turn and size together.
 */
export interface Similarity {
  readonly a: number
  readonly b: number
  readonly right: number
  readonly down: number
}

/** How many times larger the other scan shows things. */
export const scaleOf = ({ a, b }: Similarity): number => Math.sqrt(a * a + b * b)

export const placeIn = ({ a, b, right, down }: Similarity, x: number, y: number): [number, number] => [a * x - b * y + right, b * x + a * y + down]

/** The way back. */
export function inverseOf({ a, b, right, down }: Similarity): Similarity {
  const square = a * a + b * b
  const [ia, ib] = [a / square, -b / square]
  return { a: ia, b: ib, right: -(ia * right - ib * down), down: -(ib * right + ia * down) }
}

/** One after the other. */
export function composed(first: Similarity, then: Similarity): Similarity {
  const [right, down] = placeIn(then, first.right, first.down)
  return { a: then.a * first.a - then.b * first.b, b: then.b * first.a + then.a * first.b, right, down }
}

/** A way from one place to another, as a source's. */
export const wayIn = ({ a, b }: Similarity, dx: number, dy: number): [number, number] => [a * dx - b * dy, b * dx + a * dy]

/** A shape in the other scan. @param shift  How far the paper lies off the similarity there. */
export function shapeIn(similarity: Similarity, shape: Shape, shift: readonly [number, number] = [0, 0]): Shape {
  const scale = scaleOf(similarity)
  const point = ([x, y]: readonly [number, number]): [number, number] => placeIn(similarity, x, y)
  let moved: Shape
  if (shape.type === 'disc') {
    const [x, y] = point([shape.x, shape.y])
    moved = { type: 'disc', x, y, r: Math.max(0.5, shape.r * scale) }
  } else if (shape.type === 'stroke') moved = { type: 'stroke', points: shape.points.map(point), width: Math.max(0.5, shape.width * scale) }
  else moved = { type: 'outline', points: shape.points.map(point), ...(shape.holes ? { holes: shape.holes.map((hole) => hole.map(point)) } : {}) }
  return shift[0] === 0 && shift[1] === 0 ? moved : moveShape(moved, shift[0], shift[1])
}
