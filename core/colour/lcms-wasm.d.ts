/** What is used of Little CMS; the package comes without types. */
declare module 'lcms-wasm' {
  export interface LittleCms {
    cmsOpenProfileFromMem(bytes: Uint8Array, length: number): number
    cmsCloseProfile(profile: number): void
    cmsCreateXYZProfile(): number
    cmsCreate_sRGBProfile(): number
    cmsGetProfileInfoASCII(profile: number, info: number, language: string, country: string): string
    cmsGetColorSpaceASCII(profile: number): string | null
    cmsCreateTransform(input: number, inputFormat: number, output: number, outputFormat: number, intent: number, flags: number): number
    cmsDeleteTransform(transform: number): void
    cmsDoTransform(transform: number, values: ArrayLike<number>, pixels: number): Uint8Array | Uint16Array | Float32Array
  }
  export function instantiate(options?: { locateFile?: (name: string) => string }): Promise<LittleCms>
  export const TYPE_RGB_8: number
  export const TYPE_RGB_16: number
  export const TYPE_XYZ_16: number
  export const INTENT_RELATIVE_COLORIMETRIC: number
  export const cmsFLAGS_NOCACHE: number
  export const cmsInfoDescription: number
}
