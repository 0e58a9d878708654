import { cmsFLAGS_NOCACHE, cmsInfoDescription, instantiate, INTENT_RELATIVE_COLORIMETRIC, type LittleCms, TYPE_RGB_16, TYPE_XYZ_16 } from 'lcms-wasm'
import { ProblemError } from '../problem.js'
import type { ColourProfile } from './profile.js'
import { solveCholesky } from '../numbers/solve.js'

/** One library for the whole program or worker; made when the first profile asks for it. */
let library: Promise<LittleCms> | null = null

/** Steps of the grey axis on which the tone curve of a table profile is measured. */
const GREY_STEPS = 1024
/** Samples along each axis of the grid that the matrix of a table profile is fitted to. */
const GRID = 9
/** 1.0 in the library's XYZ of 16 bits: u1Fixed15Number of ICC.1:2022 4.7. */
const ONE = 32768

/** Converts RGB samples of 16 bits to XYZ of the profile connection space (D50). */
export interface TableConverter {
  /** @param samples  RGB, 0..65535, pixel after pixel. @returns XYZ of each pixel; 1 is the white of the medium. */
  toXyz(samples: Uint16Array): Float32Array
  /** Name of the profile as it gives it itself; empty when it gives none. */
  readonly name: string
}

/**
 * Open an RGB profile of any kind with Little CMS.
 *
 * @param bytes     The profile as it stands in the file.
 * @param wasmFile  Where the library's WebAssembly is fetched from; beside its code when not given.
 * @throws {ProblemError} `profile-unreadable` when the library cannot use it for RGB.
 */
export async function openTables(bytes: Uint8Array, wasmFile?: string): Promise<TableConverter> {
  library ??= instantiate(wasmFile === undefined ? {} : { locateFile: () => wasmFile })
  const lcms = await library
  const profile = lcms.cmsOpenProfileFromMem(bytes, bytes.length)
  if (!profile) throw unusable('the colour library cannot open it')
  try {
    if (lcms.cmsGetColorSpaceASCII(profile) !== 'RGB') throw unusable('it does not describe RGB')
    const xyz = lcms.cmsCreateXYZProfile()
    // A transform goes on when its profiles are closed.
    const transform = lcms.cmsCreateTransform(profile, TYPE_RGB_16, xyz, TYPE_XYZ_16, INTENT_RELATIVE_COLORIMETRIC, cmsFLAGS_NOCACHE)
    lcms.cmsCloseProfile(xyz)
    if (!transform) throw unusable('it has neither primaries nor tables')
    const name = lcms.cmsGetProfileInfoASCII(profile, cmsInfoDescription, 'en', 'US')
    return { name, toXyz: (samples) => Float32Array.from(lcms.cmsDoTransform(transform, samples, samples.length / 3), (value) => value / ONE) }
  } finally {
    lcms.cmsCloseProfile(profile)
  }
}

/**
 * What Fennip's own computation needs of a profile that no single curve and matrix describes: the tone of its grey axis,
 * and the matrix that comes closest over all colours. The screen converts through the tables themselves.
 *
 * @param bytes  The profile as it stands in the file.
 * @throws {ProblemError} `profile-unreadable` when it cannot be used.
 */
export async function measureTableProfile(bytes: Uint8Array): Promise<ColourProfile> {
  const tables = await openTables(bytes)
  const greys = Uint16Array.from({ length: 3 * GREY_STEPS }, (_, i) => Math.round((65535 * Math.floor(i / 3)) / (GREY_STEPS - 1)))
  const axis = tables.toXyz(greys)
  const white = axis[3 * (GREY_STEPS - 1) + 1]!
  if (!(white > 0.1)) throw unusable('its white is dark')
  const values: number[] = []
  for (let i = 0; i < GREY_STEPS; i++) values.push(Math.max(values[i - 1] ?? 0, Math.min(1, axis[3 * i + 1]! / white)))
  return { name: tables.name || 'embedded profile', assumed: false, curve: { type: 'table', values }, toXyz: fitMatrix(tables, values), isByTables: true }
}

/** Least squares over a grid of colours, from light of the grey axis to XYZ; white is kept exactly. */
function fitMatrix(tables: TableConverter, curve: readonly number[]): number[] {
  const steps = Array.from({ length: GRID }, (_, i) => Math.round((65535 * i) / (GRID - 1)))
  const samples = Uint16Array.from(steps.flatMap((r) => steps.flatMap((g) => steps.flatMap((b) => [r, g, b]))))
  const seen = tables.toXyz(samples)
  const light = Float64Array.from(samples, (value) => curve[Math.round((value / 65535) * (curve.length - 1))]!)
  return [0, 1, 2].flatMap((c) => {
    const normal = new Float64Array(9)
    const right = new Float64Array(3)
    for (let i = 0; i < light.length; i += 3) {
      for (let j = 0; j < 3; j++) {
        right[j]! += light[i + j]! * seen[i + c]!
        for (let k = 0; k < 3; k++) normal[3 * j + k]! += light[i + j]! * light[i + k]!
      }
    }
    if (!solveCholesky(normal, right, 3)) throw unusable('its tables are flat')
    const scale = seen[seen.length - 3 + c]! / (right[0]! + right[1]! + right[2]!)
    return Array.from(right, (value) => value * scale)
  })
}

function unusable(why: string): ProblemError {
  return new ProblemError('profile-unreadable', { title: 'The colour profile cannot be used', detail: `The profile in the file cannot be used: ${why}.`, status: 422 })
}
