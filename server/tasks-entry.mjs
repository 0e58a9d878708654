// A thread begins in plain JavaScript and only then can read TypeScript.
import { register } from 'tsx/esm/api'

register()
const tasks = await import('./tasks.ts')
const assembling = await import('./assemble-tasks.ts')
const outputs = await import('./output-tasks.ts')

/** Errors lose all but their message on the way out of a thread, so problems travel as values. */
const answering = (task) => async (input) => {
  try {
    return { value: await task(input) }
  } catch (error) {
    if (error.name !== 'ProblemError') throw error
    return { problem: { type: error.type, title: error.title, detail: error.detail, status: error.status } }
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
