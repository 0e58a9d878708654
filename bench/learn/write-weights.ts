import { writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import type { Layer } from '@fennip/core/find/judging/judge.js'

/** Write the weights of a layer to core/find/weights as data, rounded to thousandths; a unit a line, so that changes are seen. */
export function writeWeights(name: string, script: string, { units, constant }: Layer): void {
  const rows = units.map((unit) => `    [${unit.map((value) => value.toFixed(3)).join(', ')}]`).join(',\n')
  const file = fileURLToPath(new URL(`../../core/find/weights/${name}.json`, import.meta.url))
  writeFileSync(file, `{\n  "writtenBy": "bench/learn/${script}.ts",\n  "units": [\n${rows}\n  ],\n  "constant": ${constant.toFixed(3)}\n}\n`)
}
