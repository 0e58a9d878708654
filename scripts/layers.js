import { dirname, relative, resolve, sep } from 'node:path'
import { fileURLToPath } from 'node:url'

/**
 * A lint rule: a folder of core imports from itself and from folders below it. docs/architecture.md says what each is.
 * Plain JavaScript, since the linter reads it as it is.
 */
const core = fileURLToPath(new URL('../core/', import.meta.url))

/** From the bottom up. Those of one line know nothing of one another. */
const LAYERS = [
  ['numbers'],
  ['kernels'],
  ['raster'],
  ['colour'],
  ['treatment'],
  ['shape'],
  ['operations'],
  ['render', 'check', 'finish'],
  ['find', 'mend'],
  ['correct', 'series', 'output'],
  ['rebuild'],
  ['pipeline'],
  ['rescan'],
  ['assemble'],
]
const LAYER_OF = new Map(LAYERS.flatMap((folders, layer) => folders.map((folder) => [folder, layer])))
/** What every kernel takes: the one file of a higher folder that kernels read. */
const RASTER_TYPES = ['raster', 'raster.js']

const partsOf = (path) => relative(core, path).split(sep)

export const layers = {
  meta: { type: 'problem', schema: [], messages: { upwards: 'core/{{from}} may not import from core/{{to}}, which is not below it (scripts/layers.js).', unknown: 'core/{{from}} has no layer yet: give it one in scripts/layers.js.' } },
  create(context) {
    const [from, ...inner] = partsOf(context.filename)
    if (inner.length === 0 || from === '..' || context.filename.endsWith('.test.ts')) return {}
    const check = (node) => {
      if (!node.source?.value.startsWith('.')) return
      const target = partsOf(resolve(dirname(context.filename), node.source.value))
      const [to] = target
      if (target.length === 1 || to === from || to === '..') return
      if (from === 'kernels' && target.join() === RASTER_TYPES.join()) return
      for (const folder of [from, to]) if (!LAYER_OF.has(folder)) context.report({ node, messageId: 'unknown', data: { from: folder } })
      if (!(LAYER_OF.get(to) < LAYER_OF.get(from))) context.report({ node, messageId: 'upwards', data: { from, to } })
    }
    return { ImportDeclaration: check, ExportNamedDeclaration: check, ExportAllDeclaration: check }
  },
}
