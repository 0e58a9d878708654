import type { Shape } from './shape.js'

/** A shape in a picture that is so many times larger. */
export function scaleShape(shape: Shape, by: number): Shape {
  const scaled = (points: readonly (readonly [number, number])[]) => points.map(([x, y]): [number, number] => [x * by, y * by])
  switch (shape.type) {
    case 'disc': return { ...shape, x: shape.x * by, y: shape.y * by, r: shape.r * by }
    case 'stroke': return { ...shape, points: scaled(shape.points), width: shape.width * by }
    case 'outline': return { ...shape, points: scaled(shape.points), ...(shape.holes ? { holes: shape.holes.map(scaled) } : {}) }
  }
}
