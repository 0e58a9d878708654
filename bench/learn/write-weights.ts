import { writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import type { Layer } from '@fennip/core/find/judge.js'

/** Write the weights of a layer to core/find/weights, rounded to thousandths. */
export function writeWeights(name: string, script: string, { units, constant }: Layer): void {
  const rows = units.map((unit) => `    [${unit.map((value) => value.toFixed(3)).join(', ')}],\n`).join('')
  const file = fileURLToPath(new URL(`../../core/find/weights/${name}.ts`, import.meta.url))
  writeFileSync(file, `// Written by bench/${script}.ts; do not edit.\nimport type { Layer } from '../../judge.js'\n\nexport const ${name.toUpperCase().replace('-', '_')}: Layer = {\n  units: [\n${rows}  ],\n  constant: ${constant.toFixed(3)},\n}\n`)
}
