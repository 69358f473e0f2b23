import { readFileSync } from 'node:fs'
import { checkBundleText } from '@/core/bundle/check'
import type { Bundle } from '@/core/bundle/schema'
import { parseIsoDay, type Day } from '@/core/calendar/days'
import { BadInput } from './bad-input'

export function read(file: string): string {
  try {
    return readFileSync(file, 'utf8')
  } catch (error) {
    throw new BadInput(`${file} cannot be read: ${(error as Error).message}`)
  }
}

/** The bundle in a file; any fault in it is bad input. */
export function bundleOf(file: string): Bundle {
  const checked = checkBundleText(read(file))
  if (checked.ok) return checked.bundle
  throw new BadInput(checked.faults.map(({ path, message }) => (path ? `${path}: ${message}` : message)).join('\n'))
}

export function dayOption(name: string, text: string | undefined): Day {
  if (text === undefined) throw new BadInput(`${name} DAY is missing, such as 2027-03-28.`)
  const day = parseIsoDay(text)
  if (day === undefined) throw new BadInput(`${name}: “${text}” is not a day such as 2027-03-28.`)
  return day
}
