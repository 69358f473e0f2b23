import type { Bundle } from '../bundle/schema'
import type { Value } from './inputs'

type Flow = Pick<Bundle['flows'][number], 'steps' | 'groups'>

/** `check.count`: what a step of the same flow handed on under a name; undefined: it is none. */
export function readHandedOn(text: string): { readonly step: string; readonly name: string } | undefined {
  const found = /^([a-z0-9][a-z0-9-]{0,63})\.([a-z][A-Za-z0-9_]{0,39})$/.exec(text)
  return found ? { step: found[1] as string, name: found[2] as string } : undefined
}

/** A decimal number in one way of writing it; undefined: it is a text. Exact, however long it is. */
function decimal(text: string): string | undefined {
  const found = /^([+-]?)0*(\d*)(?:\.(\d*?)0*)?$/.exec(text.trim())
  if (!found || !/\d/.test(text)) return undefined
  const [, sign, whole, fraction = ''] = found
  const size = `${whole || '0'}${fraction ? `.${fraction}` : ''}`
  return size === '0' ? '0' : `${sign === '-' ? '-' : ''}${size}`
}

/** Whether two values are the same: as decimal numbers if both read as such, else as texts. */
export function isSameValue(a: Value, b: Value): boolean {
  const [left, right] = [String(a), String(b)]
  const numbers = [decimal(left), decimal(right)]
  return numbers[0] !== undefined && numbers[1] !== undefined ? numbers[0] === numbers[1] : left === right
}

/**
 * Whether an earlier step has always ended when a later one goes ahead, whatever becomes of the steps and whichever way is taken. Flows are free of loops; the work is linear in links and
 * routes. A step that is passed over has ended too, which may be before others that lead to it have.
 */
export function alwaysEndsBefore({ steps, groups = [] }: Flow, earlier: string, later: string): boolean {
  const byId = new Map(steps.map((step) => [step.id, step]))
  const routes = new Map<string, string[]>()
  const groupOf = new Map(groups.flatMap((group) => group.steps.map((id) => [id, group] as const)))
  for (const step of steps) {
    const onFailure = step.onFailure ?? groupOf.get(step.id)?.onFailure
    if (typeof onFailure !== 'object') continue
    const list = routes.get(onFailure.goTo)
    if (list) list.push(step.id)
    else routes.set(onFailure.goTo, [step.id])
  }
  interface Ways {
    /** It can go ahead, or be passed over, before `earlier` has ended. */
    readonly ahead: boolean
    readonly over: boolean
  }
  const known = new Map<string, Ways>()
  const waysOf = (id: string): Ways => known.get(id) ?? { ahead: true, over: true }
  // Not by recursion: a chain may be 10,000 steps long.
  const stack = [later]
  while (stack.length > 0) {
    const id = stack[stack.length - 1] as string
    const step = byId.get(id)
    if (known.has(id) || !step) {
      stack.pop()
      continue
    }
    const links = step.after ?? []
    const from = routes.get(id) ?? []
    const open = [...links.map((link) => link.step), ...from].filter((each) => byId.has(each) && !known.has(each))
    if (open.length > 0 && id !== earlier) {
      stack.push(...open)
      continue
    }
    const isEarly = (each: string): boolean => each !== earlier && (waysOf(each).ahead || waysOf(each).over)
    const isTaken = ({ step: each, when }: (typeof links)[number]): boolean =>
      each !== earlier && (waysOf(each).ahead || (when === 'over' && waysOf(each).over))
    const byLinks = step.join === 'any' ? links.some(isTaken) : links.every(isTaken)
    const isRouted = from.some((each) => each !== earlier && waysOf(each).ahead)
    const isFirst = links.length === 0 && from.length === 0
    const passed =
      step.join === 'any' ? links.every((link) => isEarly(link.step)) : links.some((link) => isEarly(link.step))
    known.set(id, {
      ahead: isFirst || (links.length > 0 && byLinks) || isRouted,
      over: links.length > 0 ? passed : from.some(isEarly),
    })
    stack.pop()
  }
  return byId.has(earlier) && earlier !== later && !waysOf(later).ahead
}
