import { z } from 'zod'
import { targetWords } from '@/core/dispatch/target'
import type { ExportColumn } from '@/core/exports/cells'
import { SYSTEM_STATES } from '@/core/fleet/system-state'
import { ROBOT_STATES } from '@/core/fleet/robot-state'
import { WHY_WORDS } from '@/core/timing/not-started-words'
import { listAudit, type AuditEntry } from '@/service/base/audit'
import { listAccounts, type AccountRow } from '@/service/fleet/accounts'
import { agentFilterSchema, listAgents, listPools, type AgentRow, type PoolRow } from '@/service/fleet/fleet'
import { listLocks, type LockRow } from '@/service/fleet/locks'
import { listRobots, robotFilterSchema, type RobotRow } from '@/service/fleet/robots'
import { listPeople, type PersonRow } from '@/service/people/people'
import { listMissed, missedSchema, type MissedRow } from '@/service/timing/trigger-history'
import { listTriggers, triggerFilterSchema, type TriggerRow } from '@/service/timing/trigger-list'
import { listSystems, systemFilterSchema, type SystemRow } from '@/service/work/system-pages'
import { downwards, listFile, whole } from './export-list'

const pairs = (labels: Readonly<Record<string, string>>): string =>
  Object.entries(labels)
    .map(([key, value]) => `${key}=${value}`)
    .join(', ')
const names = (all: readonly { readonly name: string }[]): string => all.map(({ name }) => name).join(', ')
const nothing = z.strictObject({})

const TRIGGER_COLUMNS: readonly ExportColumn<TriggerRow>[] = [
  { id: 'title', title: 'Trigger', kind: 'text', value: (t) => t.title },
  { id: 'id', title: 'Id', kind: 'text', value: (t) => t.slug, shownAs: [] },
  { id: 'on', title: 'Switched on', kind: 'yes', value: (t) => t.enabled },
  { id: 'job', title: 'Starts', kind: 'text', value: (t) => t.jobTitle, shownAs: ['title'] },
  { id: 'area', title: 'Area', kind: 'text', value: (t) => t.area, shownAs: [] },
  { id: 'where', title: 'Where', kind: 'text', value: (t) => targetWords(t.target) },
  { id: 'machines', title: 'Machines', kind: 'number', value: (t) => t.machines, shownAs: ['where'] },
  { id: 'cadence', title: 'When', kind: 'text', value: (t) => t.says },
  { id: 'zone', title: 'Zone', kind: 'text', value: (t) => t.zone, shownAs: [] },
  { id: 'load', title: 'Runs a day', kind: 'number', value: (t) => t.load },
  { id: 'last', title: 'Last run', kind: 'number', value: (t) => t.lastRun?.id },
  { id: 'lastState', title: 'How it ended', kind: 'text', value: (t) => t.lastRun?.state, shownAs: ['last'] },
  { id: 'next', title: 'Next start', kind: 'instant', value: (t) => t.nextAt },
  { id: 'finishBy', title: 'Finish by', kind: 'text', value: (t) => t.finishBy, shownAs: [] },
  { id: 'priority', title: 'Priority', kind: 'text', value: (t) => t.priority },
]

export const triggersFile = listFile({
  name: 'triggers',
  filter: triggerFilterSchema.omit({ after: true, limit: true }),
  columns: () => TRIGGER_COLUMNS,
  pages: async function* (actor, filter) {
    let after: string | null = null
    do {
      const page: Awaited<ReturnType<typeof listTriggers>> = await listTriggers(actor, {
        ...filter,
        limit: 200,
        ...(after === null ? {} : { after }),
      })
      yield page.rows
      after = page.next
    } while (after !== null)
  },
  count: async (actor, filter) => (await listTriggers(actor, { ...filter, limit: 1 })).total,
})

const MISSED_COLUMNS: readonly ExportColumn<MissedRow>[] = [
  { id: 'trigger', title: 'Trigger', kind: 'text', value: (m) => m.title },
  { id: 'was', title: 'Was due', kind: 'instant', value: (m) => m.first },
  { id: 'last', title: 'Last of these', kind: 'instant', value: (m) => m.last, shownAs: ['was'] },
  { id: 'times', title: 'Times', kind: 'number', value: (m) => m.times, shownAs: ['was'] },
  { id: 'why', title: 'Not started because', kind: 'text', value: (m) => WHY_WORDS[m.why] ?? m.why },
  { id: 'detail', title: 'Detail', kind: 'text', value: (m) => m.detail },
  { id: 'run', title: 'Instead', kind: 'number', value: (m) => m.runId },
  { id: 'at', title: 'Decided', kind: 'instant', value: (m) => m.at },
]

export const notStartedFile = listFile({
  name: 'not-started',
  filter: missedSchema.omit({ before: true }),
  columns: () => MISSED_COLUMNS,
  pages: (actor, filter) => downwards((before) => listMissed(actor, { ...filter, before }), 100),
})

const AGENT_COLUMNS: readonly ExportColumn<AgentRow>[] = [
  { id: 'name', title: 'Agent', kind: 'text', value: (a) => a.name },
  { id: 'host', title: 'Host', kind: 'text', value: (a) => a.host, shownAs: [] },
  { id: 'state', title: 'State', kind: 'text', value: (a) => a.state },
  { id: 'use', title: 'Slots in use', kind: 'number', value: (a) => a.used },
  { id: 'slots', title: 'Slots', kind: 'number', value: (a) => a.slots, shownAs: ['use'] },
  { id: 'pools', title: 'Pools', kind: 'text', value: (a) => names(a.pools) },
  { id: 'labels', title: 'Labels', kind: 'text', value: (a) => pairs(a.labels) },
  { id: 'system', title: 'System', kind: 'text', value: (a) => a.system },
  { id: 'version', title: 'Version', kind: 'text', value: (a) => a.version },
  { id: 'contact', title: 'Last contact', kind: 'instant', value: (a) => a.lastContactAt },
  { id: 'enrolled', title: 'Enrolled', kind: 'instant', value: (a) => a.enrolledAt, shownAs: [] },
  { id: 'through', title: 'Calls through', kind: 'text', value: (a) => a.through, shownAs: [] },
]

export const agentsFile = listFile({
  name: 'agents',
  filter: agentFilterSchema,
  columns: () => AGENT_COLUMNS,
  pages: (actor, filter) => whole(listAgents(actor, filter)),
})

const ROBOT_COLUMNS: readonly ExportColumn<RobotRow>[] = [
  { id: 'name', title: 'Robot', kind: 'text', value: (r) => r.name },
  { id: 'state', title: 'State', kind: 'text', value: (r) => ROBOT_STATES[r.state] },
  { id: 'why', title: 'Why', kind: 'text', value: (r) => r.why, shownAs: ['state'] },
  { id: 'run', title: 'Run', kind: 'number', value: (r) => r.runId, shownAs: [] },
  { id: 'since', title: 'Since', kind: 'instant', value: (r) => r.since },
  { id: 'kind', title: 'Kind', kind: 'text', value: (r) => r.kind },
  { id: 'machine', title: 'Machine', kind: 'text', value: (r) => r.agent },
  { id: 'account', title: 'Account', kind: 'text', value: (r) => r.account },
  { id: 'hours', title: 'Hours', kind: 'text', value: (r) => r.hours },
  { id: 'pools', title: 'Pools', kind: 'text', value: (r) => names(r.pools) },
  { id: 'labels', title: 'Labels', kind: 'text', value: (r) => pairs(r.labels), shownAs: [] },
  { id: 'person', title: 'Person at it', kind: 'text', value: (r) => r.person, shownAs: [] },
  { id: 'goodUntil', title: 'Secret good until', kind: 'instant', value: (r) => r.goodUntil, shownAs: [] },
  { id: 'last', title: 'Last start', kind: 'instant', value: (r) => r.lastStartAt, shownAs: ['did'] },
]

export const robotsFile = listFile({
  name: 'robots',
  filter: robotFilterSchema,
  columns: () => ROBOT_COLUMNS,
  pages: (actor, filter) => whole(listRobots(actor, filter)),
})

const SYSTEM_COLUMNS: readonly ExportColumn<SystemRow>[] = [
  { id: 'title', title: 'System', kind: 'text', value: (s) => s.title },
  { id: 'id', title: 'Id', kind: 'text', value: (s) => s.slug, shownAs: [] },
  { id: 'state', title: 'State', kind: 'text', value: (s) => SYSTEM_STATES[s.state] },
  { id: 'why', title: 'Why', kind: 'text', value: (s) => s.why.join(' ') },
  { id: 'kind', title: 'Kind', kind: 'text', value: (s) => s.kind },
  { id: 'host', title: 'Host', kind: 'text', value: (s) => s.host },
  { id: 'port', title: 'Port', kind: 'number', value: (s) => s.port, shownAs: ['host'] },
  { id: 'on', title: 'Runs on', kind: 'text', value: (s) => s.on.map(({ title }) => title).join(', ') },
  { id: 'jobs', title: 'Jobs', kind: 'number', value: (s) => s.jobs },
  { id: 'matters', title: 'Open matters', kind: 'number', value: (s) => s.matters, shownAs: ['why'] },
  { id: 'last', title: 'Last run ended', kind: 'instant', value: (s) => s.lastAt },
  { id: 'next', title: 'Next start', kind: 'instant', value: (s) => s.nextAt },
]

export const systemsFile = listFile({
  name: 'systems',
  filter: systemFilterSchema,
  columns: () => SYSTEM_COLUMNS,
  pages: (actor, filter) => whole(listSystems(actor, filter)),
})

const POOL_COLUMNS: readonly ExportColumn<PoolRow>[] = [
  { id: 'name', title: 'Pool', kind: 'text', value: (p) => p.name },
  { id: 'title', title: 'Title', kind: 'text', value: (p) => p.title },
  { id: 'active', title: 'Switched on', kind: 'yes', value: (p) => p.active },
  { id: 'slots', title: 'Slots', kind: 'number', value: (p) => p.slots },
  { id: 'members', title: 'Agents', kind: 'text', value: (p) => names(p.members.filter(({ active }) => active)) },
  { id: 'off', title: 'Agents switched off', kind: 'text', value: (p) => names(p.members.filter((m) => !m.active)) },
  { id: 'robots', title: 'Robots', kind: 'text', value: (p) => names(p.robots.filter(({ active }) => active)) },
]

export const poolsFile = listFile({
  name: 'pools',
  filter: nothing,
  columns: () => POOL_COLUMNS,
  pages: (actor) => whole(listPools(actor)),
})

const ACCOUNT_COLUMNS: readonly ExportColumn<AccountRow>[] = [
  { id: 'name', title: 'Account', kind: 'text', value: (a) => a.name },
  { id: 'user', title: 'User name', kind: 'text', value: (a) => a.userName },
  { id: 'agents', title: 'Good on', kind: 'text', value: (a) => (a.everywhere ? 'every machine' : names(a.agents)) },
  { id: 'robots', title: 'Robots', kind: 'text', value: (a) => names(a.robots) },
  { id: 'jobs', title: 'Jobs', kind: 'number', value: (a) => a.jobs },
  { id: 'rotated', title: 'Secret changed', kind: 'instant', value: (a) => a.rotatedAt },
  { id: 'goodUntil', title: 'Secret good until', kind: 'instant', value: (a) => a.goodUntil },
]

export const accountsFile = listFile({
  name: 'accounts',
  filter: nothing,
  columns: () => ACCOUNT_COLUMNS,
  pages: (actor) => whole(listAccounts(actor)),
})

const LOCK_COLUMNS: readonly ExportColumn<LockRow>[] = [
  { id: 'name', title: 'Lock', kind: 'text', value: (l) => l.name },
  { id: 'title', title: 'Title', kind: 'text', value: (l) => l.title },
  { id: 'units', title: 'Units', kind: 'number', value: (l) => l.units },
  { id: 'used', title: 'In use', kind: 'number', value: (l) => l.used },
  { id: 'waiting', title: 'Wait for it', kind: 'number', value: (l) => l.waiting },
  { id: 'jobs', title: 'Jobs', kind: 'number', value: (l) => l.jobs },
]

export const locksFile = listFile({
  name: 'locks',
  filter: nothing,
  columns: () => LOCK_COLUMNS,
  pages: (actor) => whole(listLocks(actor)),
})

const PERSON_COLUMNS: readonly ExportColumn<PersonRow>[] = [
  { id: 'name', title: 'Name', kind: 'text', value: (p) => p.name },
  { id: 'email', title: 'E-mail', kind: 'text', value: (p) => p.email },
  { id: 'role', title: 'Role', kind: 'text', value: (p) => p.role },
  { id: 'groups', title: 'Groups', kind: 'text', value: (p) => p.groups.join(', ') },
  { id: 'active', title: 'May sign in', kind: 'yes', value: (p) => p.active },
  { id: 'seen', title: 'Last seen', kind: 'instant', value: (p) => p.lastSeenAt },
]

export const peopleFile = listFile({
  name: 'people',
  filter: nothing,
  columns: () => PERSON_COLUMNS,
  pages: (actor) => whole(listPeople(actor)),
})

const AUDIT_COLUMNS: readonly ExportColumn<AuditEntry>[] = [
  { id: 'at', title: 'When', kind: 'instant', value: (e) => e.at },
  { id: 'who', title: 'Who', kind: 'text', value: (e) => e.personName },
  { id: 'what', title: 'Did', kind: 'text', value: (e) => e.action },
  { id: 'type', title: 'To a', kind: 'text', value: (e) => e.objectType, shownAs: ['what'] },
  { id: 'object', title: 'Called', kind: 'text', value: (e) => e.objectTitle, shownAs: ['what'] },
  { id: 'number', title: 'Number', kind: 'text', value: (e) => e.objectId, shownAs: [] },
  { id: 'changes', title: 'What changed', kind: 'text', value: (e) => e.changes },
  { id: 'via', title: 'By way of', kind: 'text', value: (e) => e.via },
  { id: 'address', title: 'From', kind: 'text', value: (e) => e.address, shownAs: ['via'] },
]

export const auditFile = listFile({
  name: 'audit',
  filter: z.strictObject({ text: z.string().max(100).optional() }),
  columns: () => AUDIT_COLUMNS,
  pages: (actor, { text }) => downwards((before) => listAudit(actor, { before, text }), 100),
})
