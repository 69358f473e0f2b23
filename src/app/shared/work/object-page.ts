const HREF: Readonly<Record<string, (id: number | string) => string>> = {
  job: (id) => `/work/jobs/${id}`,
  flow: (id) => `/work/flows/${id}`,
  queue: (id) => `/work/queues/${id}`,
  trigger: (id) => `/timing/triggers/${id}`,
  calendar: (id) => `/timing/calendars/${id}`,
  agent: (id) => `/fleet/agents/${id}`,
  robot: (id) => `/fleet/robots/${id}`,
  system: (id) => `/fleet/systems/${id}`,
  account: () => '/fleet?tab=accounts',
  lock: () => '/fleet?tab=locks',
  pool: () => '/fleet?tab=pools',
  'shared value': () => '/work/shared',
}

/** Where something that was changed can be looked at; null: it has no page. */
export const objectPage = ({ type, id }: { readonly type: string; readonly id: number | string }): string | null =>
  HREF[type]?.(id) ?? null
