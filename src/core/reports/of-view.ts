import { CAUSES } from '../run/lifecycle'
import { ACTION_KINDS } from '../work/job'
import type { ViewValues } from '../views/view'
import type { ReportFilter } from './definition'

const NUMBERS = ['job', 'area', 'trigger', 'person', 'agent', 'robot'] as const
/** What says how a list looks, or which stretch it shows: a report has its own. */
const LOOKS = ['when', 'from', 'to', 'columns', 'beside', 'sort', 'dir', 'steps']

/**
 * What a report takes of a view of runs: whose runs they are. How they ended, or how many are shown, is what a report tells.
 * @returns the filter, and the keys of the view that no report knows
 */
export function ofView(values: ViewValues): { readonly filter: ReportFilter; readonly left: readonly string[] } {
  const filter: Record<string, readonly (number | string)[]> = {}
  const left: string[] = []
  for (const [key, value] of Object.entries(values)) {
    if (LOOKS.includes(key)) continue
    const parts = value.split(',').filter(Boolean)
    const known: readonly (number | string)[] = (NUMBERS as readonly string[]).includes(key)
      ? parts.map(Number).filter((id) => Number.isSafeInteger(id) && id > 0)
      : key === 'cause'
        ? parts.filter((part) => (CAUSES as readonly string[]).includes(part))
        : key === 'kind'
          ? parts.filter((part) => part === 'flow' || (ACTION_KINDS as readonly string[]).includes(part))
          : []
    if (known.length > 0) filter[key] = known
    else left.push(key)
  }
  return { filter: filter as ReportFilter, left }
}
