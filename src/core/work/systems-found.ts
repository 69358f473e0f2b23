import type { SystemKind } from '../fleet/system-state'
import { groupedBy } from '../group'
import { slugOf } from '../schema/slug'
import type { JobDefinition } from './job'
import { onSystem, systemFault, type SystemSays } from './systems'

/** A job that may be moved to a system. */
export interface Reaching {
  readonly id: number
  readonly title: string
  readonly definition: JobDefinition
}

/** A system made of what jobs reach, and these jobs. */
export interface SystemFound extends SystemSays {
  readonly name: string
  readonly title: string
  readonly jobs: readonly { readonly id: number; readonly title: string }[]
}

const KIND_OF: Readonly<Record<string, SystemKind>> = {
  sql: 'database',
  ssh: 'host',
  transfer: 'host',
  http: 'application',
  ticket: 'application',
  mail: 'application',
}

const HAS_REFERENCE = /\$\{/

/** Where a job goes, as far as a system can say it; null: it goes nowhere, or hangs on an input. */
function addressOf({ action }: JobDefinition): SystemSays | null {
  const kind = KIND_OF[action.kind]
  if (kind === undefined) return null
  const nothing = { kind, database: null, tls: false, hostKey: null, account: null, pool: null } as const
  switch (action.kind) {
    case 'sql':
      if (HAS_REFERENCE.test(`${action.host}${action.port}${action.database}`)) return null
      return { ...nothing, host: action.host, port: Number(action.port), database: action.database, tls: action.tls }
    case 'ssh':
    case 'transfer':
      if (HAS_REFERENCE.test(`${action.host}${action.port}`)) return null
      return { ...nothing, host: action.host, port: Number(action.port), hostKey: action.hostKey }
    case 'mail':
      if (HAS_REFERENCE.test(`${action.host}${action.port}`)) return null
      return { ...nothing, host: action.host, port: Number(action.port), tls: action.tls }
    case 'http':
    case 'ticket': {
      const origin = /^(https?):\/\/([^/?#]*)/i.exec(action.url)
      if (!origin || HAS_REFERENCE.test(origin[2] as string)) return null
      const url = new URL(origin[0])
      // A user name in an address is no part of where it leads.
      if (url.username !== '' || url.password !== '') return null
      const tls = url.protocol === 'https:'
      return {
        ...nothing,
        host: url.hostname.replace(/^\[(.*)\]$/, '$1'),
        port: url.port === '' ? (tls ? 443 : 80) : Number(url.port),
        tls,
      }
    }
    default:
      return null
  }
}

/** The one value that all have; null: there are several. */
const common = <T>(values: readonly T[]): T | null => (new Set(values).size === 1 ? (values[0] as T) : null)

/**
 * Systems of what these jobs reach: one for each address. Account and pool become the system's only where all its jobs have the same, so that nothing that a job does changes by being
 * moved to it; jobs of which one says another host key stay where they are. Jobs that name a system already, or whose address hangs on an input, are left out.
 * @param taken names that systems have already
 */
export function systemsFound(jobs: readonly Reaching[], taken: readonly string[]): SystemFound[] {
  const names = new Set(taken)
  const groups = groupedBy(
    jobs.flatMap((job) => {
      const at = job.definition.system === null ? addressOf(job.definition) : null
      return at ? [{ job, at }] : []
    }),
    ({ at: { kind, host, port, database, tls, hostKey } }) =>
      JSON.stringify([kind, host?.toLowerCase(), port, database, tls, hostKey]),
  )
  return [...groups.values()].flatMap((group) => {
    const { at } = group[0] as (typeof group)[number]
    const pools = group.map(({ job: { definition } }) => ('pool' in definition.target ? definition.target.pool : null))
    const system: SystemSays = {
      ...at,
      account: common(group.map(({ job: { definition } }) => definition.account)),
      pool: common(pools),
    }
    const moved = group
      .map(({ job }) => job)
      .filter(
        ({ definition }) =>
          systemFault(definition.action, '', system) === null &&
          JSON.stringify(onSystem(definition, system)) === JSON.stringify(definition),
      )
    if (moved.length === 0) return []
    const title =
      at.kind === 'database'
        ? `${at.database} on ${at.host}`
        : at.kind === 'host'
          ? String(at.host)
          : `${at.host}:${at.port}`
    let name = slugOf(title)
    for (let i = 2; names.has(name); i++) name = `${slugOf(title)}-${i}`
    names.add(name)
    return [{ ...system, name, title, jobs: moved.map(({ id, title }) => ({ id, title })) }]
  })
}
