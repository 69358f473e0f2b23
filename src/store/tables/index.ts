import * as accounts from './accounts'
import * as fleet from './fleet'
import * as flows from './flows'
import * as forecast from './forecast'
import * as notices from './notices'
import * as people from './people'
import * as queues from './queues'
import * as reports from './reports'
import * as runs from './runs'
import * as settings from './settings'
import * as systems from './systems'
import * as timing from './timing'
import * as views from './views'
import * as work from './work'

/** All tables, by the name of their model. Whatever is exported by a file of this folder is one. */
export const tables = {
  ...accounts,
  ...fleet,
  ...flows,
  ...forecast,
  ...notices,
  ...people,
  ...queues,
  ...reports,
  ...runs,
  ...settings,
  ...systems,
  ...timing,
  ...views,
  ...work,
}
export type Tables = typeof tables
