// A thread begins in plain JavaScript and only then can read TypeScript.
import { register } from 'tsx/esm/api'

register()
export const { makePyramid, searchTile, mendOpenFlaws, keepPatches } = await import('./tasks.ts')
