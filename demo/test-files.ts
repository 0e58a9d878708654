import { kept } from './kept.js'
import { demoFiles } from './load.js'
import type { DemoSize } from './pictures.js'

/** The files of the demo for tests, made once in a run. */
export function testFiles(frame: DemoSize, print: DemoSize): ReturnType<typeof demoFiles> {
  const sizes = [frame, print].map(({ width, height }) => `${width}x${height}`).join('-')
  return demoFiles(frame, print).map(({ name, make }) => ({ name, make: () => kept(`${sizes}-${name}`, make) }))
}
