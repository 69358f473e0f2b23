import { readFileSync } from 'node:fs'
import { checkBundleText } from '@/core/bundle/check'
import type { Bundle } from '@/core/bundle/schema'
import { parseIsoDay, type Day } from '@/core/calendar/days'
import type { Fault } from '@/core/schema/faults'
import { BadInput } from './bad-input'

export function read(file: string): string {
  try {
    return readFileSync(file, 'utf8')
  } catch (error) {
    throw new BadInput(`${file} cannot be read: ${(error as Error).message}`)
  }
}

/** A line for each fault. */
export const wordsOfFaults = (faults: readonly Fault[]): string =>
  faults.map(({ path, message }) => (path ? `${path}: ${message}` : message)).join('\n')

/** The bundle in a file; any fault in it is bad input. */
export function bundleOf(file: string): Bundle {
  const checked = checkBundleText(read(file))
  if (checked.ok) return checked.bundle
  throw new BadInput(wordsOfFaults(checked.faults))
}

/** What a JSON file holds. `option`: which one named it. */
export function jsonOf(file: string, option?: string): unknown {
  const text = read(file)
  try {
    return JSON.parse(text.startsWith('\uFEFF') ? text.slice(1) : text) as unknown
  } catch (error) {
    throw new BadInput(`${option ? `${option}: ` : ''}${file} is not JSON: ${(error as Error).message}`)
  }
}

export function dayOption(name: string, text: string | undefined): Day {
  if (text === undefined) throw new BadInput(`${name} DAY is missing, such as 2027-03-28.`)
  const day = parseIsoDay(text)
  if (day === undefined) throw new BadInput(`${name}: “${text}” is not a day such as 2027-03-28.`)
  return day
}
