import { basename } from 'node:path'
import { formatOfName } from '@fennip/codec/formats.js'
import { readTogether } from '@fennip/codec/read-together.js'
import { writeFileWhole } from '@fennip/codec/sink.js'
import { cutOut } from '@fennip/core/assemble/pieces/cut-out.js'
import { fitAll, joinPieces } from '@fennip/core/assemble/pieces/join.js'
import { ProblemError } from '@fennip/core/problem.js'
import { parse } from './parse.js'
import { save } from './save.js'

/** `fennip join`: the pieces of a torn print, on one scan or on several, put together. */
export async function join(args: string[]): Promise<void> {
  const { values, positionals } = parse(args, { report: { type: 'string' } }, [2, 9])
  const [output, inputs] = [positionals.at(-1)!, positionals.slice(0, -1)]
  const format = formatOfName(output)
  const picture = await readTogether(inputs.map((path) => ({ path, name: basename(path) })))
  const cut = cutOut(picture.pixels)
  if (cut.pieces.length < 2) throw new ProblemError('one-piece', { title: 'There is nothing to join', detail: `${basename(inputs[0]!)} shows ${cut.pieces.length === 1 ? 'one piece' : 'no piece'} of paper on its background. Leave room between the pieces on the scanner, on a bed that differs from the paper.`, status: 422 })
  const fitting = fitAll(picture.pixels, cut)
  const { raster, gaps } = joinPieces(picture.pixels, cut, fitting.pieces)
  const { width, height } = raster
  await save(output, { ...picture, header: { ...picture.header, width, height }, pixels: raster, alpha: null }, format)
  const moved = fitting.pieces.slice(1)
  for (const [i, piece] of moved.entries()) process.stderr.write(`fennip: piece ${i + 2} turned ${piece.placement.turnDegrees.toFixed(2)} degrees, moved ${piece.placement.dx.toFixed(1)}, ${piece.placement.dy.toFixed(1)} px; fits to ${piece.misfitPx} px along ${piece.seamPx} px\n`)
  if (values.report) await writeFileWhole(values.report, new TextEncoder().encode(`${JSON.stringify({ pieces: cut.pieces.map(({ box }, i) => ({ box, ...fitting.pieces[i] })), gaps }, null, 1)}\n`))
}
