import type { TSchema } from '@sinclair/typebox'
import type { Operation, Settings } from './operation.js'

/** One setting as a form shows it. */
export interface SettingDescription {
  readonly name: string
  readonly title: string
  readonly help: string
  readonly unit: string
  readonly type: 'number' | 'integer' | 'boolean' | 'choice' | 'points' | 'text'
  readonly minimum: number
  readonly maximum: number
  readonly step: number
  readonly choices: readonly string[]
  readonly default: unknown
}

interface Annotated extends TSchema { title?: string; description?: string; unit?: string; minimum?: number; maximum?: number; step?: number; enum?: string[]; anyOf?: { const: string }[] }

/** Settings of an operation in the order of its schema. */
export function describeSettings(operation: Operation): SettingDescription[] {
  return Object.entries(operation.settings.properties as Record<string, Annotated>).map(([name, schema]) => {
    const choices = schema.anyOf?.map((choice) => choice.const) ?? []
    const type = choices.length > 0 ? 'choice' : schema.type === 'array' ? 'points' : schema.type === 'string' ? 'text' : (schema.type as 'number' | 'integer' | 'boolean')
    const [minimum, maximum] = [schema.minimum ?? 0, schema.maximum ?? 1]
    return {
      name, title: schema.title ?? name, help: schema.description ?? '', unit: schema.unit ?? '', type, minimum, maximum, choices,
      step: schema.step ?? (type === 'integer' ? 1 : (maximum - minimum) / 100), default: schema.default as unknown,
    }
  })
}

/** All settings of an operation at their defaults. */
export function defaultSettings(operation: Operation): Settings {
  return Object.fromEntries(describeSettings(operation).map((setting) => [setting.name, structuredClone(setting.default)]))
}

/** A piece of a step's sentence: plain text, or a value that can be changed in place. */
export type SentencePart = { readonly text: string } | { readonly setting: string; readonly text: string }

/** The sentence of a step with its values in place. */
export function sentenceOf(operation: Operation, settings: Settings): SentencePart[] {
  const described = new Map(describeSettings(operation).map((setting) => [setting.name, setting]))
  return operation.sentence.split(/(\{\w+\})/).filter((part) => part !== '').map((part) => {
    const name = /^\{(\w+)\}$/.exec(part)?.[1]
    const setting = name ? described.get(name) : undefined
    // A step from before a setting was there has it at its default.
    return setting ? { setting: setting.name, text: valueText(setting, settings[setting.name] ?? setting.default) } : { text: part }
  })
}

/** A value as it reads in a sentence. */
export function valueText(setting: SettingDescription, value: unknown): string {
  if (setting.type === 'points') return `${(value as unknown[]).length}\u00a0${setting.unit || 'points'}`
  if (setting.type === 'text') return String(value)
  if (setting.type === 'boolean') return value ? 'on' : 'off'
  if (setting.type === 'choice') return String(value)
  const digits = (String(setting.step).split('.')[1] ?? '').length
  const number = Number(value).toFixed(Math.min(digits, 4))
  if (setting.unit === 'D') return `D ${number}`
  return setting.unit === '°' ? `${number}°` : setting.unit ? `${number}\u00a0${setting.unit}` : number
}
