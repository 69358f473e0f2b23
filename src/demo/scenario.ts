import { exchangeJobs } from './exchange'
import { MASKS } from '@/core/compare/masks'
import type { JobDefinition } from '@/core/work/job'
import type { Input } from '@/core/work/inputs'
import { BRING_REFUNDS, REFUNDS } from './refunds'
import type { Role } from '@/core/people/roles'
import type { Priority, Target } from '@/core/dispatch'

/** Marram Sound Ferries: everything in the demo comes from here. */
export interface DemoMachine {
  readonly name: string
  readonly system: string
  readonly slots: number
  readonly labels: Record<string, string>
  readonly pools: readonly string[]
  readonly version?: string
}

const LINUX = 'Debian GNU/Linux 12 (bookworm)'
const WINDOWS = 'Windows 11 Pro'
const linux = (site: string, role: string): Record<string, string> => ({ fleet: 'marram', os: 'linux', site, role })

export const MACHINES: readonly DemoMachine[] = [
  { name: 'kelda-app1', system: LINUX, slots: 6, labels: linux('kelda', 'app'), pools: ['quay'] },
  { name: 'kelda-app2', system: LINUX, slots: 6, labels: linux('kelda', 'app'), pools: ['quay'] },
  { name: 'kelda-db1', system: LINUX, slots: 2, labels: linux('kelda', 'database'), pools: ['data'] },
  { name: 'kelda-files', system: LINUX, slots: 4, labels: linux('kelda', 'files'), pools: ['files'] },
  { name: 'orrin-ops1', system: LINUX, slots: 2, labels: linux('orrin', 'harbour'), pools: ['harbours'] },
  { name: 'stavin-ops1', system: LINUX, slots: 2, labels: linux('stavin', 'harbour'), pools: ['harbours'] },
  { name: 'brack-ops1', system: LINUX, slots: 2, labels: linux('brack', 'harbour'), pools: ['harbours'] },
  { name: 'tarn-ops1', system: LINUX, slots: 2, labels: linux('tarn', 'harbour'), pools: ['harbours'] },
  {
    name: 'kelda-desk1',
    system: WINDOWS,
    slots: 1,
    labels: { fleet: 'marram', os: 'windows', site: 'kelda', role: 'desk' },
    pools: ['desks'],
  },
  {
    name: 'kelda-desk2',
    system: WINDOWS,
    slots: 1,
    labels: { fleet: 'marram', os: 'windows', site: 'kelda', role: 'desk' },
    pools: ['desks'],
  },
  {
    name: 'kelda-desk3',
    system: WINDOWS,
    slots: 1,
    labels: { fleet: 'marram', os: 'windows', site: 'kelda', role: 'desk' },
    pools: ['desks'],
  },
  {
    name: 'kelda-desk4',
    system: WINDOWS,
    slots: 1,
    labels: { fleet: 'marram', os: 'windows', site: 'kelda', role: 'desk' },
    pools: ['desks'],
    version: '0.8.2',
  },
]
/** Desktop workers at the booking terminals: an account on each desk. */
export interface DemoRobot {
  readonly name: string
  readonly machine: string
  readonly userName: string
  readonly secret: string
  readonly kind: 'attended' | 'unattended'
  readonly earliest: string | null
  readonly latest: string | null
  readonly notes: string
  /** So many days from the demo's beginning its secret is good; null: for ever. */
  readonly goodForDays: number | null
  /** Who sits at it. */
  readonly person: string | null
}

const robot = (n: number, more: Partial<DemoRobot>): DemoRobot => ({
  name: `desk${n}`,
  machine: `kelda-desk${n}`,
  userName: `svc-desk${n}`,
  secret: `razorbill-${n}-turnstone`,
  kind: 'unattended',
  earliest: null,
  latest: null,
  notes: 'The old booking terminal, and the harbour authority’s web form',
  goodForDays: 60,
  person: null,
  ...more,
})

export const ROBOTS: readonly DemoRobot[] = [
  robot(1, {}),
  robot(2, { goodForDays: 11 }),
  robot(3, { kind: 'attended', earliest: '08:00', latest: '18:00', person: 'Wren Halloran' }),
  robot(4, { goodForDays: -3 }),
]

export const POOLS: Record<string, string> = {
  quay: 'Quay: application servers',
  data: 'Data: database server',
  files: 'Files: transfers and archives',
  harbours: 'Harbours: small machines on the quays',
  desks: 'Desks: booking terminals',
  lab: 'Lab: development',
}

export const AREAS = ['Close of day', 'Sailing', 'Vessels', 'Freight', 'Refund desk', 'Housekeeping'] as const

/** Areas that lie in another. */
export const WITHIN: Partial<Record<(typeof AREAS)[number], (typeof AREAS)[number]>> = {
  Vessels: 'Sailing',
  Freight: 'Sailing',
}

export const NIGHT_DESK = {
  title: 'Night desk',
  notes: 'Whoever is on watch from 22:00 to 06:00.',
  people: ['Sunniva Dahl', 'Callum Eads'],
}

/** Where money goes back: only its members see it. */
export const CLOSED_AREA = {
  title: 'Refund desk' as (typeof AREAS)[number],
  members: [
    { group: NIGHT_DESK.title, may: 'operate' },
    { person: 'Moira Calder', may: 'design' },
    { person: 'Wren Halloran', may: 'see' },
  ],
} as const

export const PEOPLE: readonly { name: string; role: Role }[] = [
  { name: 'Ines Aldaya', role: 'administrator' },
  { name: 'Torvald Brekke', role: 'designer' },
  { name: 'Moira Calder', role: 'designer' },
  { name: 'Sunniva Dahl', role: 'operator' },
  { name: 'Callum Eads', role: 'operator' },
  { name: 'Petra Flett', role: 'viewer' },
  { name: 'Wren Halloran', role: 'none' },
]

/** How a simulated machine acts a job out. */
export interface Behaviour {
  /** Median length in seconds, and the spread of its logarithm. */
  readonly seconds: number
  readonly spread: number
  readonly fails: number
  readonly failLine: string
  readonly failExit: number
  readonly lines: readonly string[]
  /** Grows by this share each week: slower and slower. */
  readonly driftPerWeek?: number
}

export interface DemoJob {
  readonly title: string
  readonly area: (typeof AREAS)[number]
  readonly notes: string
  readonly definition: Partial<JobDefinition> & Pick<JobDefinition, 'action' | 'target'>
  readonly behaviour: Behaviour
}

const pool = (name: string): Target => ({ pool: name })
const sqlOf = (
  host: string,
  database: string,
  statement: string,
): Extract<JobDefinition['action'], { kind: 'sql' }> => ({
  kind: 'sql',
  host,
  port: 5432,
  database,
  statement,
  parameters: [],
  leastRows: null,
  mostRows: null,
  keepRows: 200,
  tls: true,
})
const command = (text: string): JobDefinition['action'] => ({ kind: 'command', command: text })
const choice = (name: string, title: string, options: string[]): Input => ({
  name,
  title,
  type: 'choice',
  options,
  default: options[0] ?? null,
  ask: true,
})
export const HARBOURS = ['orrin', 'stavin', 'brack', 'tarn', 'kelda']
export const VESSELS = [
  'Tern',
  'Petrel',
  'Gannet',
  'Fulmar',
  'Razorbill',
  'Kittiwake',
  'Dunlin',
  'Curlew',
  'Sanderling',
  'Plover',
  'Turnstone',
]

interface Sketch {
  readonly does: JobDefinition['action']
  readonly where: Target
  readonly takes: number
  readonly spread?: number
  readonly fails?: number
  readonly failLine?: string
  readonly failExit?: number
  readonly lines: readonly string[]
  readonly inputs?: Input[]
  readonly retries?: number
  readonly priority?: Priority
  readonly slots?: number
  readonly locks?: Readonly<Record<string, number>>
  readonly queues?: JobDefinition['queues']
  readonly asking?: JobDefinition['asking']
  readonly watches?: NonNullable<JobDefinition['watches']>
  readonly drift?: number
  readonly notes?: string
  /** What it serves or is done on; what that says goes before what stands here. */
  readonly system?: string
  readonly account?: string
}

function job(title: string, area: DemoJob['area'], sketch: Sketch): DemoJob {
  return {
    title,
    area,
    notes: sketch.notes ?? '',
    definition: {
      action: sketch.does,
      target: sketch.where,
      inputs: sketch.inputs ?? [],
      retries: sketch.retries ?? 0,
      retryDelaySeconds: 20,
      priority: sketch.priority ?? 'normal',
      slots: sketch.slots ?? 1,
      locks: sketch.locks ?? {},
      queues: sketch.queues ?? { take: [], add: [] },
      system: sketch.system ?? null,
      account: sketch.account ?? null,
      ...(sketch.asking ? { asking: sketch.asking } : {}),
      ...(sketch.watches ? { watches: sketch.watches } : {}),
      timeLimitSeconds: Math.max(600, sketch.takes * 8),
    },
    behaviour: {
      seconds: sketch.takes,
      spread: sketch.spread ?? 0.15,
      fails: sketch.fails ?? 0.004,
      failLine: sketch.failLine ?? 'gave up after an unexpected answer',
      failExit: sketch.failExit ?? 1,
      lines: sketch.lines,
      ...(sketch.drift ? { driftPerWeek: sketch.drift } : {}),
    },
  }
}

export const JOBS: readonly DemoJob[] = [
  job('Till file', 'Close of day', {
    does: command('fetch-till --harbour ${harbour} --into /srv/till'),
    where: pool('harbours'),
    takes: 110,
    spread: 0.3,
    fails: 0.04,
    retries: 2,
    failLine: 'till of tarn: no file for today yet',
    lines: ['connecting to the till', 'day closed at 00:31', '{n} tickets, {m} refunds', 'file written, checksum ok'],
    inputs: [choice('harbour', 'Harbour', HARBOURS)],
    notes: 'One file for each harbour. Tarn Head is often late.',
  }),
  job('Reconcile fares', 'Close of day', {
    does: command('reconcile-fares --day today'),
    where: pool('quay'),
    takes: 780,
    spread: 0.12,
    lines: [
      'reading five till files',
      '{n} fares, {m} without a ticket',
      'difference 0.00',
      'written to the ledger queue',
    ],
    slots: 2,
    locks: { 'fares-database': 1 },
    priority: 'high',
  }),
  job('Post to ledger', 'Close of day', {
    does: command('post-ledger --batch night'),
    where: pool('data'),
    takes: 420,
    lines: ['batch opened', '{n} postings', 'batch closed'],
    locks: { 'fares-database': 1 },
    priority: 'high',
  }),
  job('Month-end statements', 'Close of day', {
    does: command('statements --month last'),
    where: pool('quay'),
    takes: 540,
    lines: ['{n} accounts', 'statements written'],
  }),
  job('Quarter-end returns', 'Close of day', {
    does: command('returns --quarter last'),
    where: pool('quay'),
    takes: 900,
    lines: ['{n} postings', 'returns written'],
  }),
  job('Year-end pack', 'Close of day', {
    does: command('year-end-pack'),
    where: pool('quay'),
    takes: 2400,
    slots: 2,
    lines: ['{n} accounts', '{m} open', 'pack written'],
  }),
  job('Publish timetable', 'Sailing', {
    does: command('publish-timetable --to signs,web'),
    where: pool('files'),
    takes: 210,
    lines: ['{n} sailings', '{m} signs answered', 'web is up to date'],
  }),
  job('Bookings', 'Sailing', {
    does: command('pull-bookings --from tomorrow'),
    where: pool('quay'),
    takes: 520,
    lines: ['{n} bookings for 38 sailings', '{m} changed since noon', 'done'],
    priority: 'high',
    inputs: [
      { name: 'key', title: 'Key', type: 'secret', options: [], default: { shared: 'booking-key' }, ask: false },
    ],
  }),
  job('Name list', 'Sailing', {
    does: command('name-list --date tomorrow'),
    where: { robotPool: 'desks' },
    takes: 240,
    lines: ['terminal opened', '{n} names', 'terminal closed'],
    locks: { 'booking-terminal': 1 },
  }),
  job('Rebooking letters', 'Sailing', {
    does: command('letters --of rebookings --printer kelda-desk3'),
    where: { robot: 'desk3' },
    takes: 95,
    lines: ['{m} letters to print', 'printed'],
    asking: { forSeconds: 300, ifNobody: 'wait' },
    notes: 'Prints at the desk: whoever sits there is asked first.',
  }),
  job('Name check', 'Sailing', {
    does: command('name-check --list /srv/names/today.csv --second-list'),
    where: pool('data'),
    takes: 4250,
    spread: 0.06,
    drift: 0.09,
    lines: ['{n} names read', 'first list: 0 hits', 'second list: {m} near hits, looked at', 'clear'],
    priority: 'high',
    notes:
      'Grows slower week by week since the second list was added. It reads the bookings on kelda-db1, which is saved at the same time.',
  }),
  job('Harbour transfer', 'Sailing', {
    does: command('send-manifest --to gw.${harbour} --retry none'),
    where: pool('files'),
    takes: 70,
    spread: 0.2,
    fails: 0.12,
    failExit: 255,
    retries: 3,
    failLine: 'gw.orrin: connection refused (port 22) after 10 s',
    lines: [
      'manifest-0309.csv: {n} names, 36 118 bytes',
      'checksum 9f41…c2  ok',
      'opening gw.orrin:22 as svc-transfer',
      'sent, receipt {m}',
    ],
    inputs: [choice('harbour', 'Harbour', ['orrin', 'stavin', 'brack', 'tarn'])],
    priority: 'urgent',
    notes: 'The harbour authority’s gateway is down some nights.',
  }),
  job('Tide tables', 'Sailing', {
    does: command('tide-tables --days 14'),
    where: pool('harbours'),
    takes: 1340,
    lines: ['model run {n}', 'tables for 5 harbours', 'written'],
  }),
  job('Berth plan', 'Sailing', {
    does: command('berth-plan --tides /srv/tides'),
    where: pool('harbours'),
    takes: 900,
    lines: ['{n} arrivals', '{m} moved', 'plan written'],
  }),
  job('Crew rosters', 'Sailing', {
    does: command('crew-rosters'),
    where: pool('harbours'),
    takes: 640,
    lines: ['{n} crew', 'rest times ok', 'published'],
  }),
  job('Vessel log', 'Vessels', {
    does: command('pull-log --vessel ${vessel}'),
    where: pool('harbours'),
    takes: 38,
    spread: 0.25,
    fails: 0.015,
    failLine: 'vessel out of radio range',
    retries: 1,
    lines: ['log of {n} entries', 'engine hours {m}', 'stored'],
    inputs: [choice('vessel', 'Vessel', VESSELS)],
  }),
  job('Fuel report', 'Vessels', {
    does: command('fuel-report --all'),
    where: pool('quay'),
    takes: 95,
    lines: ['11 vessels', '{n} litres', 'report written'],
  }),
  job('Gate counts', 'Vessels', {
    does: command('gate-counts --harbour ${harbour}'),
    where: pool('harbours'),
    takes: 660,
    spread: 0.2,
    lines: ['gates: {m}', '{n} passengers', 'counts stored'],
    inputs: [choice('harbour', 'Harbour', HARBOURS)],
  }),
  job('Camera archive', 'Housekeeping', {
    does: command('archive-cameras --harbour ${harbour}'),
    where: pool('files'),
    takes: 1100,
    spread: 0.2,
    lines: ['{n} clips', '{m} GB moved', 'index written'],
    inputs: [choice('harbour', 'Harbour', HARBOURS)],
  }),
  job('Booking mirror', 'Sailing', {
    does: command('mirror-bookings --full'),
    where: pool('quay'),
    takes: 2000,
    slots: 2,
    lines: ['{n} tables', '{m} differ', 'mirror is up to date'],
    system: 'booking-application',
  }),
  job('Fare cache', 'Close of day', {
    does: command('fare-cache --rebuild'),
    where: pool('quay'),
    takes: 800,
    slots: 2,
    lines: ['{n} fares', 'cache swapped'],
    locks: { 'fares-database': 1 },
  }),
  job('Weather grids', 'Sailing', {
    does: command('weather-grids --area sound'),
    where: pool('quay'),
    takes: 2300,
    slots: 3,
    spread: 0.08,
    lines: ['grid of {n} points', '{m} steps', 'charts written'],
  }),
  job('Freight rates refresh', 'Freight', {
    does: command('freight-rates --refresh'),
    where: pool('quay'),
    takes: 160,
    lines: ['{n} rates', '{m} changed'],
  }),
  job('Freight invoicing', 'Freight', {
    does: command('invoice --freight --send'),
    where: pool('quay'),
    takes: 1250,
    slots: 2,
    lines: ['{n} consignments', '{m} invoices', 'sent'],
  }),
  job('Refund', 'Refund desk', {
    does: command('book-refunds --from "$BUGLE_AGENT" --queue refunds'),
    where: { robotPool: 'desks' },
    takes: 150,
    spread: 0.35,
    fails: 0.03,
    failLine: 'terminal asks for a new password',
    lines: ['terminal opened', '{m} refunds booked', 'terminal closed'],
    queues: { take: [REFUNDS.slug], add: [] },
  }),
  job('New refunds', 'Refund desk', {
    does: { kind: 'script', interpreter: 'sh', script: BRING_REFUNDS },
    where: pool('lab'),
    takes: 2,
    lines: [],
    queues: { take: [], add: [REFUNDS.slug] },
    notes: 'Runs for real on the machine that runs this demo: what the booking application has to be paid back.',
  }),
  job('Nightly backup', 'Housekeeping', {
    does: command('backup --all --verify'),
    where: pool('data'),
    takes: 2300,
    lines: ['snapshot taken', '{n} GB', 'verified'],
    system: 'kelda-db1',
  }),
  job('Index care', 'Housekeeping', {
    does: command('index-care --database fares'),
    where: pool('data'),
    takes: 1400,
    lines: ['{n} indexes', '{m} rebuilt'],
    system: 'booking-database',
  }),
  job('Booking application in reach', 'Housekeeping', {
    does: { kind: 'reach', by: 'http', host: 'https://kelda-app1:8443/health', port: null, withinSeconds: 10 },
    where: pool('quay'),
    takes: 1,
    spread: 0.2,
    fails: 0.003,
    failLine: 'https://kelda-app1:8443/health cannot be reached: no answer in time.',
    lines: ['→ GET https://kelda-app1:8443/health', '← 200 in {m} ms: it can be reached.'],
    priority: 'low',
    system: 'booking-application',
  }),
  job('Largest tables', 'Housekeeping', {
    does: sqlOf(
      'kelda-db1',
      'bookings',
      'SELECT relname AS table, pg_total_relation_size(relid) / 1048576 AS mib FROM pg_catalog.pg_statio_user_tables ORDER BY 2 DESC LIMIT 5',
    ),
    where: pool('data'),
    takes: 4,
    lines: [
      '→ bookings on kelda-db1:5432 as svc-care',
      'table       mib',
      '─────────  ─────',
      'bookings   84{m}',
      'boardings  5{m}',
      'fares      1{m}',
      '3 rows',
    ],
    priority: 'low',
    system: 'booking-database',
    account: 'database-care',
  }),
  job('Bookings without a fare', 'Housekeeping', {
    does: {
      ...sqlOf('kelda-db1', 'bookings', 'SELECT number FROM bookings WHERE fare IS NULL AND sails_on > current_date'),
      mostRows: 0,
    },
    where: pool('data'),
    takes: 6,
    fails: 0.03,
    failLine: '2 rows; at most 0 were to come.',
    lines: ['→ bookings on kelda-db1:5432 as svc-care', '0 rows'],
    system: 'booking-database',
    account: 'database-care',
  }),
  job('Ledger in balance', 'Close of day', {
    does: {
      ...sqlOf(
        'kelda-db1',
        'ledger',
        'SELECT account FROM postings GROUP BY account, day HAVING sum(debit) <> sum(credit)',
      ),
      mostRows: 0,
    },
    where: pool('data'),
    takes: 18,
    lines: ['→ ledger on kelda-db1:5432 as svc-care', '0 rows'],
    system: 'ledger-database',
    account: 'database-care',
  }),
  job('Old logs of the databases', 'Housekeeping', {
    does: {
      kind: 'ssh',
      host: 'kelda-db1',
      port: 22,
      hostKey: null,
      command: 'find /var/log/postgresql -name "*.log" -mtime +14 -print -delete | wc -l',
      withinSeconds: 600,
    },
    where: pool('quay'),
    takes: 9,
    lines: ['→ ssh svc-care@kelda-db1:22', '{m}'],
    priority: 'low',
    system: 'kelda-db1',
    account: 'database-care',
  }),
  job('Log clean-up', 'Housekeeping', {
    does: command('clean-logs --older 30d'),
    where: { labels: { os: 'linux' } },
    takes: 60,
    lines: ['{n} files', '{m} MB freed'],
    priority: 'low',
  }),
  job('Configuration check', 'Housekeeping', {
    does: {
      kind: 'script',
      interpreter: 'sh',
      script:
        '#!/bin/sh\nset -eu\nfor part in network disks accounts; do\n  echo "checking $part"\n  check-config "$part"\ndone\n',
    },
    where: { labels: { os: 'linux' } },
    takes: 55,
    // On some nights somebody has changed a setting.
    lines: [
      ...['checking network', 'mtu = 1500', 'resolver = 10.2.0.{rare}', 'proxy = none'],
      ...['checking disks', 'mount /srv = noatime', 'mount /var/log = nodev'],
      ...['checking accounts', 'svc-till = nologin', 'svc-harbour = nologin', '7 settings checked'],
    ],
    watches: { masks: [...MASKS], patterns: [], matter: true },
    priority: 'low',
  }),
  job('Machine pulse', 'Housekeeping', {
    does: command('pulse --short'),
    where: { labels: { fleet: 'marram' } },
    takes: 7,
    spread: 0.3,
    lines: ['disks {m} %', 'clock ok'],
    priority: 'low',
  }),
  job('Monthly fleet review', 'Housekeeping', {
    does: command('fleet-review --month last'),
    where: pool('quay'),
    takes: 380,
    lines: ['{n} runs', '{m} failures', 'review written'],
  }),
  job('Write the manifest', 'Sailing', {
    does: command('write-manifest --names /srv/names/today.csv'),
    where: pool('quay'),
    takes: 75,
    lines: ['{n} names', '36 118 bytes written', 'checksum 9f41…c2'],
    priority: 'high',
  }),
  job('Month-end count', 'Sailing', {
    does: command('count-passengers --month this'),
    where: pool('quay'),
    takes: 130,
    lines: ['{n} passengers', 'count written'],
  }),
  job('Signs on the quay', 'Sailing', {
    does: command('signs --refresh'),
    where: pool('harbours'),
    takes: 45,
    lines: ['{m} signs answered', 'all show the same'],
  }),
  job('Reach the harbour', 'Sailing', {
    does: command('reach gw.${harbour} 22'),
    where: pool('files'),
    takes: 8,
    spread: 0.3,
    fails: 0.05,
    failLine: 'gw.orrin: no answer on port 22 within 5 s',
    lines: ['gw answers on port 22'],
    inputs: [choice('harbour', 'Harbour', ['orrin', 'stavin', 'brack', 'tarn'])],
    priority: 'urgent',
  }),
  job('File the receipt', 'Sailing', {
    does: command('file-receipt'),
    where: pool('files'),
    takes: 20,
    lines: ['receipt {n} filed'],
  }),
  job('Open a ticket', 'Housekeeping', {
    does: command('open-ticket --about ${about}'),
    where: pool('quay'),
    takes: 6,
    lines: ['ticket {n} opened'],
    inputs: [{ name: 'about', title: 'About', type: 'text', options: [], default: null, ask: true }],
  }),
  job('Mail to the office', 'Housekeeping', {
    does: command('mail-office --with-summary'),
    where: pool('quay'),
    takes: 5,
    lines: ['sent to the office'],
  }),
  job('Restart of the lab', 'Housekeeping', {
    does: command('restart-lab'),
    where: pool('quay'),
    takes: 95,
    lines: ['lab goes down', 'lab is back'],
    priority: 'low',
  }),
  job('Radio round', 'Vessels', {
    does: command('radio-round --all'),
    where: pool('harbours'),
    takes: 55,
    spread: 0.3,
    lines: ['11 vessels answered', '{m} messages'],
  }),
  job('Weather glance', 'Vessels', {
    does: command('weather-glance --area sound'),
    where: pool('quay'),
    takes: 28,
    lines: ['{n} stations', 'wind from the south-west'],
  }),
  job('Departure board', 'Vessels', {
    does: command('board --harbour ${harbour} --refresh'),
    where: pool('harbours'),
    takes: 40,
    spread: 0.3,
    fails: 0.012,
    failLine: 'board does not answer',
    retries: 1,
    lines: ['{m} departures', 'board shows them'],
    inputs: [choice('harbour', 'Harbour', HARBOURS)],
  }),
  job('Wait and watch', 'Housekeeping', {
    does: { kind: 'wait', minutes: '${minutes}' },
    where: pool('lab'),
    takes: 60,
    lines: [],
    inputs: [{ name: 'minutes', title: 'Minutes to wait', type: 'number', options: [], default: '1', ask: true }],
    notes: 'Harmless: only waits, to see where and how work is carried out.',
  }),
  job('Lab greeting', 'Housekeeping', {
    does: {
      kind: 'script',
      interpreter: 'sh',
      script:
        'echo "Good evening, ${name}."\nfor i in 1 2 3 4 5; do\n  echo "bell $i"\n  sleep 1\ndone\necho "a word on standard error" >&2\n',
    },
    where: pool('lab'),
    takes: 6,
    lines: [],
    inputs: [{ name: 'name', title: 'Whom to greet', type: 'text', options: [], default: 'Kelda', ask: true }],
    notes: 'Runs for real on the machine that runs this demo.',
  }),
  ...exchangeJobs().map(({ title, notes, definition }): DemoJob => ({
    title,
    notes,
    area: 'Sailing',
    definition,
    behaviour: { seconds: 2, spread: 0, fails: 0, failLine: '', failExit: 1, lines: [] },
  })),
]
