import * as assembling from './assemble-tasks.js'
import * as outputs from './output-tasks.js'
import * as rescan from './rescan-tasks.js'
import { restingAfter } from './rest.js'
import * as tasks from './tasks.js'

/** What threads can be asked for: the tasks by their names. */

/** Errors lose all but their message on the way out of a thread, so problems travel as values. */
const answering = <I, O>(task: (input: I) => O | Promise<O>) => async (input: I) => {
  try {
    return { value: await restingAfter(() => task(input)) }
  } catch (error) {
    const problem = error as { name: string; type: string; title: string; detail: string; status: number }
    if (problem.name !== 'ProblemError') throw error
    return { problem: { type: problem.type, title: problem.title, detail: problem.detail, status: problem.status } }
  }
}

export const lookAt = answering(tasks.lookAt)
export const takeIn = answering(tasks.takeIn)
export const previewOutput = answering(outputs.previewOutput)
export const writeReports = answering(outputs.writeReports)
export const writeOutputs = answering(outputs.writeOutputs)
export const searchTile = answering(tasks.searchTile)
export const searchWhole = answering(tasks.searchWhole)
export const searchLines = answering(tasks.searchLines)
export const joinSearch = answering(tasks.joinSearch)
export const mendOpenFlaws = answering(tasks.mendOpenFlaws)
export const keepPatches = answering(tasks.keepPatches)
export const measurePlaces = answering(tasks.measurePlaces)
export const placeChart = answering(tasks.placeChart)
export const fitPieces = answering(assembling.fitPieces)
export const joinScan = answering(assembling.joinScan)
export const mergeBracket = answering(assembling.mergeBracket)
export const layScansTogether = answering(assembling.layScansTogether)
export const measureAnew = answering(rescan.measureAnew)
export const moveToRescan = answering(rescan.moveToRescan)
export const bringOver = answering(assembling.bringOver)
