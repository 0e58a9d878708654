import type { PixelSource } from '../raster/raster.js'
import type { OperationStep } from '../treatment/schema.js'
import type { OperationContext, Settings } from './operation.js'
import { operationOf } from './registry.js'
import { defaultSettings } from './settings.js'

/**
 * A step of an operation with its settings; what is not set takes its default, and what it has to look for is measured.
 *
 * @param picture  The mended picture at full size, for operations that measure.
 */
export function makeOperationStep(id: string, name: string, settings: Settings, picture: PixelSource, context: OperationContext, note?: string): OperationStep {
  const operation = operationOf(name)
  const whole = { ...defaultSettings(operation), ...settings }
  const measured = operation.measure?.(picture, whole, context)
  return {
    id, stage: operation.stage, operation: name, version: operation.version, settings: whole, strength: 1, enabled: true,
    ...(measured === undefined ? {} : { measured }), ...(note ? { note } : {}),
  }
}
