import { parseInstant } from '@/core/timing/instants'
import { BadInput } from './bad-input'

export function instantOption(name: string, text: string | undefined): number {
  if (text === undefined) throw new BadInput(`${name} INSTANT is missing, such as 2027-03-28T00:00:00Z.`)
  const at = parseInstant(text)
  if (at === undefined)
    throw new BadInput(`${name}: “${text}” is not an instant with an offset, such as 2027-03-28T00:00:00Z.`)
  return at
}

/** A whole number between two others, both included; undefined where it is not given. */
export function wholeOption(name: string, text: string | undefined, least: number, most: number): number | undefined {
  if (text === undefined) return undefined
  const number = Number(text)
  if (!/^\d{1,15}$/.test(text) || number < least || number > most)
    throw new BadInput(`${name}: “${text}” is not a whole number from ${least} to ${most.toLocaleString('en')}.`)
  return number
}
