import type { TObject } from '@sinclair/typebox'
import type { FloatRaster, Region } from '../raster/raster.js'
import type { OperationStage } from '../treatment/schema.js'
import type { TransferCurve } from '../raster/transfer.js'
import type { ToneSpace } from '../colour/tone-space.js'

/** What an operation knows of the picture it works on. */
export interface OperationContext {
  readonly channels: number
  /** Transfer curve of the profile. */
  readonly curve: TransferCurve
  /** Conversions between encoded values, linear light and density. */
  readonly tones: ToneSpace
  /** Shares of the channels in luminance (row Y of the profile's matrix), one number for grey. */
  readonly luminance: readonly number[]
  /** Row by row from linear light of the channels to XYZ at D50; null for grey and for profiles without a matrix. */
  readonly toXyz: readonly number[] | null
  /** Size of the base in pixels. */
  readonly width: number
  readonly height: number
}

/** The picture below a step and the zone it works through, as `measure` looks at them; any level. */
export interface Survey {
  readonly levels: number
  size(level: number): Size
  /** Pixels below the step. @param region  In pixels of the level, inside the picture. */
  read(region: Region, level: number): FloatRaster
  /** Cover of the zone, 0..1 a pixel; 1 everywhere without one. */
  cover(region: Region, level: number): Float32Array
}

export type Settings = Readonly<Record<string, unknown>>

/** A proposal for a step with its reason. */
export interface Proposal {
  readonly operation: string
  readonly settings: Settings
  readonly measured?: unknown
  readonly reason: string
}

interface Common<S, M> {
  /** Unique, as it stands in treatments and on the command line. */
  readonly name: string
  readonly version: number
  readonly stage: OperationStage
  /** What it is called on screen. */
  readonly title: string
  /** What is wrong, in the restorer's words: how the operation is offered. */
  readonly trouble: string
  /** Made by drawing in the picture, so not offered by its trouble. */
  readonly byHand?: boolean
  /** Whether its zone is meant to look like what is around it afterwards: then what it still differs by is left over. */
  readonly meetsSurroundings?: boolean
  /** JSON Schema with title, range, default and unit of every setting: form, sentence, validation and documentation are made from it. */
  readonly settings: TObject
  /** The step as a sentence; `{name}` stands for the value of a setting. */
  readonly sentence: string
  /** Look at the picture once and decide; rendering never searches or fits. */
  measure?(survey: Survey, settings: S, context: OperationContext): M
  /** Settings proposed from what is seen in the zone and around it, with the reason. */
  propose?(survey: Survey, context: OperationContext): { readonly settings: Partial<S>; readonly reason: string }
}

/** One part of a tone program: a function a channel on encoded values, or a matrix on linear light. */
export type TonePart =
  | { readonly kind: 'channels'; readonly functions: readonly ((encoded: number) => number)[] }
  | { readonly kind: 'matrix'; readonly rows: readonly number[] }

/** One pixel in, one pixel out. Consecutive ones are fused into one program. */
export interface ToneOperation<S = Settings, M = unknown> extends Common<S, M> {
  readonly form: 'tone'
  parts(settings: S, measured: M | undefined, context: OperationContext): TonePart[]
}

/** A filter that reads a neighbourhood, any size. */
export interface AreaOperation<S = Settings, M = unknown> extends Common<S, M> {
  readonly form: 'area'
  /** Context that rendering needs around a region, in pixels of the level. */
  reach(settings: S, measured: M | undefined, level: number): number
  /**
   * New pixels of a region with its context; those within `reach` of its edge inside the picture need not be right.
   *
   * @param region  Where `below` lies, in pixels of the level.
   * @param wanted  The part of `below` whose new pixels are read, in its own pixels; all of it when not given. What costs by
   *                the pixel is done there alone.
   */
  render(below: FloatRaster, settings: S, measured: M | undefined, context: OperationContext, level: number, region: Region, wanted?: Region): FloatRaster
}

/** A small, local change. */
export interface PatchOperation<S = Settings, M = unknown> extends Common<S, M> {
  readonly form: 'patch'
  /** Pixels of the base that it may change. */
  bounds(settings: S, measured: M | undefined): Region
  /** How far beyond its bounds it reads, in pixels of the base. */
  reach(settings: S, measured: M | undefined): number
  /**
   * New pixels of its bounds with its context, at full size; smaller levels show them made smaller.
   *
   * @param below   May be changed.
   * @param region  Where `below` lies, in pixels of the base: the bounds and the reach around them, inside the picture.
   */
  render(below: FloatRaster, settings: S, measured: M | undefined, context: OperationContext, region: Region): FloatRaster
}

export interface Size { readonly width: number; readonly height: number }

/** Where the pixels of a changed frame come from. Several are fused into one mapping and resampled once. */
export interface GeometryOperation<S = Settings, M = unknown> extends Common<S, M> {
  readonly form: 'geometry'
  /** Size of what it makes of a picture. */
  size(before: Size, settings: S): Size
  /** Place before of a place after, both in pixels with centres at .5. */
  toSource(settings: S, before: Size, after: Size): (x: number, y: number) => readonly [number, number]
}

export type Operation = ToneOperation | AreaOperation | PatchOperation | GeometryOperation

/** Definitions keep the types of their own settings; the registry holds them all alike. */
export const defineTone = <S, M = undefined>(operation: ToneOperation<S, M>): ToneOperation => operation as unknown as ToneOperation
export const defineArea = <S, M = undefined>(operation: AreaOperation<S, M>): AreaOperation => operation as unknown as AreaOperation
export const definePatch = <S, M = undefined>(operation: PatchOperation<S, M>): PatchOperation => operation as unknown as PatchOperation
export const defineGeometry = <S, M = undefined>(operation: GeometryOperation<S, M>): GeometryOperation => operation as unknown as GeometryOperation
