import type { Input } from '../work/inputs'
import type { Bundle } from './schema'

export type BundleInput = NonNullable<Bundle['flows'][number]['inputs']>[number]

/** Inputs of a file as the server keeps them: every default that is written as text. */
export function inputsIn(inputs: readonly BundleInput[] | undefined): Input[] {
  return (inputs ?? []).map(({ default: value, title = '', options = [], ...input }) => ({
    ...input,
    title,
    options,
    default: value === undefined || typeof value === 'object' ? (value ?? null) : asWritten(value),
  })) as Input[]
}

const asWritten = (value: string | number | boolean): string =>
  typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value)
