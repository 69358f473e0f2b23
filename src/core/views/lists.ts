/** Lists of which views can be kept: where each stands, and what of its address a view holds. */
export interface ListOf {
  readonly title: string
  /** Where it stands. Of the items of a queue: with the queue’s number at the end. */
  readonly path: string
  /** What its filters and its order are called in its address. */
  readonly keys: readonly string[]
  /** Keys whose values are numbers of things, separated by commas, and what they are: in a bundle they stand by their names. */
  readonly things?: Readonly<Record<string, ThingKind>>
  /** What can be seen beside a chosen row. */
  readonly beside?: readonly string[]
  /** Views of it belong to one thing of this kind. */
  readonly of?: 'queue'
}

export type ThingKind = 'job' | 'area' | 'agent' | 'robot' | 'trigger' | 'person'

export const LISTS = {
  runs: {
    title: 'Runs',
    path: '/runs',
    keys: [
      ...[
        'state',
        'job',
        'area',
        'agent',
        'robot',
        'trigger',
        'person',
        'cause',
        'kind',
        'lock',
        'board',
        'holds',
        'steps',
      ],
      ...['when', 'from', 'to', 'ended', 'endedFrom', 'endedTo', 'ranFrom', 'ranTo', 'took', 'text', 'sort', 'dir'],
    ],
    things: { job: 'job', area: 'area', agent: 'agent', robot: 'robot', trigger: 'trigger', person: 'person' },
    beside: ['steps', 'job', 'machine', 'trigger', 'failures'],
  },
  work: { title: 'Work', path: '/work', keys: ['text', 'area', 'kind'], things: { area: 'area' } },
  items: {
    title: 'Items',
    path: '/work/queues/',
    keys: ['state', 'key', 'overdue', 'run', 'cameFrom', 'cameTo', 'endedFrom', 'endedTo', 'priority'],
    of: 'queue',
  },
  triggers: {
    title: 'Triggers',
    path: '/timing',
    keys: [
      ...['text', 'state', 'cadence', 'kind', 'calendar', 'job', 'pool', 'outcome', 'load', 'flag'],
      ...['sort', 'dir'],
    ],
    things: { job: 'job' },
  },
  'not-started': { title: 'Not started', path: '/timing/not-started', keys: ['why', 'text', 'from', 'to'] },
  agents: { title: 'Agents', path: '/fleet', keys: ['text', 'state', 'pool', 'label', 'version'] },
  robots: {
    title: 'Robots',
    path: '/fleet?tab=robots',
    keys: ['text', 'state', 'kind', 'machine', 'account', 'pool', 'label'],
  },
  systems: { title: 'Systems', path: '/fleet?tab=systems', keys: ['text', 'kind', 'state'] },
  audit: { title: 'Audit', path: '/settings?tab=audit', keys: ['text'] },
} as const satisfies Readonly<Record<string, ListOf>>

export type ListName = keyof typeof LISTS
export const LIST_NAMES = Object.keys(LISTS) as readonly ListName[]
