import sharp from 'sharp'
import { conversionBetween, type Conversion } from '@fennip/core/output/convert-profile.js'
import type { Output } from '@fennip/core/output/output.js'
import { greyProfile, readProfile, srgbProfile, type ColourProfile } from '@fennip/core/colour/profile.js'

const known = new Map<string, Uint8Array>()

/** The sRGB and Display P3 profiles that the picture library ships with, as bytes to be put into a file. */
async function shippedProfile(name: 'srgb' | 'p3'): Promise<Uint8Array> {
  const kept = known.get(name)
  if (kept) return kept
  const carrier = await sharp({ create: { width: 1, height: 1, channels: 3, background: '#808080' } }).withIccProfile(name).png().toBuffer()
  const icc = new Uint8Array((await sharp(carrier).metadata()).icc!)
  known.set(name, icc)
  return icc
}

/** What a file's colours are converted by, and the profile that is put into it. */
export interface OutputColour {
  readonly conversion: Conversion | null
  /** Null where none is written. */
  readonly icc: Uint8Array | null
}

/** @param icc  Profile as the picture came with it. */
export async function colourOf({ profile: wanted }: Pick<Output, 'profile'>, profile: ColourProfile, icc: Uint8Array | null): Promise<OutputColour> {
  if (wanted === 'kept') return { conversion: null, icc }
  // Grey pictures take the tone curve of both, and no profile, since these describe RGB.
  if (!profile.toXyz) return { conversion: conversionBetween(profile, greyProfile(false), 1), icc: null }
  const target = await shippedProfile(wanted === 'srgb' ? 'srgb' : 'p3')
  const described = wanted === 'srgb' ? srgbProfile(false) : readProfile(target, 3)
  return { conversion: conversionBetween(profile, described, 3), icc: target }
}
