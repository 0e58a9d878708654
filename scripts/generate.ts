import { Ajv } from 'ajv'
import standaloneCode from 'ajv/dist/standalone/index.js'
import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { basename } from 'node:path'
import { fileURLToPath } from 'node:url'
import { SensorChartSchema } from '../core/series/chart-schema.js'
import { OutputSchema } from '../core/output/output.js'
import * as treatment from '../core/treatment/schema.js'
import { archiveSchemas, JobArchiveSchema } from '../server/archive/format.js'
import { bodySchemas } from '../server/api/bodies.js'
import { compileKernels } from './compile-kernels.js'

/**
 * Compile the validators ahead, so that no page needs permission to make code from text, publish the schema of the
 * treatment, and compile the kernels.
 */

const schemas = {
  validateTreatment: treatment.TreatmentSchema,
  validateFinds: treatment.FindsSchema,
  validateSensorChart: SensorChartSchema,
  validateOutput: OutputSchema,
  ...bodySchemas,
  ...archiveSchemas,
}

const ajv = new Ajv({ code: { source: true, esm: true }, allErrors: false, strict: true, strictTuples: false, formats: { uuid: /^[0-9a-f-]{36}$/ } })
const names: Record<string, string> = {}
for (const [name, schema] of Object.entries(schemas)) {
  const id = `#${name}`
  ajv.addSchema({ ...schema, $id: id }, id)
  names[name] = id
}
const makeCode = (standaloneCode as unknown as { default?: typeof standaloneCode }).default ?? standaloneCode
const code = (makeCode as unknown as (ajv: Ajv, refs: Record<string, string>) => string)(ajv, names)
  // The helpers are tiny and their package is CommonJS; imported by name so that bundlers and Node agree.
  .replace(/const (\w+) = require\("([^"]+)"\)\.default;?/g, (_all, name: string, from: string) => `import ${name}_module from "${from}.js";const ${name} = ${name}_module.default ?? ${name}_module;`)

const folder = fileURLToPath(new URL('../core/treatment/generated/', import.meta.url))
mkdirSync(folder, { recursive: true })
write(`${folder}validators.js`, `// Made by scripts/generate.ts from the schemas; do not edit.\n${code}\n`)
write(
  `${folder}validators.d.ts`,
  `import type { ValidateFunction } from 'ajv'\n${Object.keys(schemas).map((name) => `export const ${name}: ValidateFunction\n`).join('')}`,
)
const docs = fileURLToPath(new URL('../docs/', import.meta.url))
mkdirSync(docs, { recursive: true })
for (const [name, schema] of Object.entries({ treatment: treatment.TreatmentSchema, 'sensor-chart': SensorChartSchema, 'job-archive': JobArchiveSchema })) {
  write(`${docs}${name}.schema.json`, `${JSON.stringify({ $schema: 'http://json-schema.org/draft-07/schema#', ...schema }, null, 2)}\n`)
}

const kernels = new URL('../core/kernels/', import.meta.url)
mkdirSync(new URL('generated/', kernels), { recursive: true })
// What has a module of its own beside it is compiled; the rest is compiled into these.
const sources = readdirSync(fileURLToPath(kernels), { recursive: true, encoding: 'utf8' }).filter((file) => file.endsWith('.as.ts') && existsSync(new URL(file.replace('.as.ts', '.ts'), kernels)))
for (const file of sources.sort()) {
  const compiled = await compileKernels(new URL(file, kernels))
  const name = basename(file, '.as.ts')
  write(fileURLToPath(new URL(`generated/${name}-wasm.ts`, kernels)), `// Made by scripts/generate.ts from core/kernels/${file}; do not edit.\nexport const WASM = '${compiled}'\n`)
}

/** Unchanged files keep their time, so that nothing is rebuilt for them. */
function write(path: string, content: string): void {
  if (existsSync(path) && readFileSync(path, 'utf8') === content) return
  writeFileSync(path, content)
}
