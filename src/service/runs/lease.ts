import { isConnection } from '@/core/work/connections'
import { hoursWords, type Hours } from '@/core/fleet/hours'
import type { Cause } from '@/core/run/lifecycle'
import type { JobDefinition } from '@/core/work/job'
import type { Lease } from '@/agent/protocol'
import { limit } from '@/store/limits'
import { signInOf, accountFault, type AccountUse } from '@/service/fleet/accounts'
import { unsealInputs } from '@/service/base/secrets'
import { makeReceipt, type Receipt } from './receipts'
import { proofOf } from './restored'

/** After a polite signal a process group has this long before it is killed. */
const GRACE_SECONDS = 10

/** All of an attempt that its lease is made of. */
export interface LeaseRow {
  readonly attempt: number
  readonly token: number
  readonly run: number
  readonly try: number
  readonly agentId: number
  readonly title: string
  readonly definition: JobDefinition
  readonly inputs: Record<string, string>
  readonly secrets: Buffer | null
  readonly robot: (Hours & { readonly name: string; readonly calendar: string | null }) | null
  readonly account: string | null
  readonly accountId: number | null
  readonly areaId: number
  readonly accountUser: string
  readonly accountSecret: Buffer | null
  readonly hosts: string[]
  readonly areaIds: number[] | null
  readonly plain: boolean
  readonly unknownHosts: boolean
  readonly jobId: number
  readonly jobVersion: number
  readonly handedAt: Date
  readonly createdAt: Date
  readonly cause: Cause
  readonly starterName: string
  readonly forAgentId: number | null
  readonly triggerId: number | null
  readonly triggerVersion: number | null
  readonly occurrence: Date | null
  readonly occurrenceDay: string | null
  readonly flowRunId: number | null
  readonly step: number | null
  readonly stepPath: string | null
}

/** The lease that an agent is given, its secrets opened. Throws with what is wrong when it cannot be made. */
export function buildLease(row: LeaseRow): Lease {
  const { attempt, token, run, try: number, title, definition, inputs, secrets } = row
  const hidden = unsealInputs(secrets, run)
  const all = { ...inputs, ...hidden }
  const action = actionOf(definition, all)
  const used = row.accountId === null ? null : accountOf(row)
  const fault = used && accountFault(used, row.areaId, definition.action, all)
  if (fault) throw new Error(fault)
  const isAct = action.kind === 'act'
  return {
    attempt,
    token,
    run,
    try: number,
    title,
    action,
    folder: definition.folder,
    environment: definition.environment,
    account: row.account,
    runAs: isAct ? null : (used?.user ?? null),
    signIn: isAct && used ? signInOf(used) : null,
    robot: row.robot && { name: row.robot.name, hours: hoursWords(row.robot) },
    asksForItems: asksForItems(definition),
    inputs: all,
    secrets: Object.keys(hidden),
    timeLimitSeconds: definition.timeLimitSeconds,
    graceSeconds: GRACE_SECONDS,
    must: definition.success.must,
    mustNot: definition.success.mustNot,
    maxOutputBytes: limit('output_mib') * 1024 * 1024,
    mayLeave: definition.mayLeave ?? false,
    proof: proofOf({ attempt, token, run }),
    receipt: makeReceipt(receiptOf(row)),
  }
}

/** Whether it has something to ask at its agent's door. One saved by an older Bugle names no queues. */
const asksForItems = ({ queues, action }: Partial<Pick<JobDefinition, 'queues' | 'action'>>): boolean =>
  action?.kind === 'report' ||
  (queues !== undefined && !isConnection(action ?? { kind: '' }) && queues.take.length + queues.add.length > 0)

const receiptOf = (row: LeaseRow): Receipt => ({
  run: row.run,
  attempt: row.attempt,
  agent: row.agentId,
  token: row.token,
  try: row.try,
  handedAt: row.handedAt.getTime(),
  job: row.jobId,
  version: row.jobVersion,
  createdAt: row.createdAt.getTime(),
  cause: row.cause,
  starter: row.starterName,
  forAgent: row.forAgentId,
  trigger:
    row.triggerId !== null && row.triggerVersion !== null && row.occurrence !== null && row.occurrenceDay !== null
      ? { id: row.triggerId, version: row.triggerVersion, occurrence: row.occurrence.getTime(), day: row.occurrenceDay }
      : null,
  step:
    row.flowRunId !== null && row.step !== null && row.stepPath !== null
      ? { flowRun: row.flowRunId, index: row.step, path: row.stepPath }
      : null,
})

const accountOf = (row: LeaseRow): AccountUse => ({
  id: row.accountId as number,
  name: row.account as string,
  user: row.accountUser,
  secret: row.accountSecret,
  hosts: row.hosts,
  areaIds: row.areaIds,
  plain: row.plain,
  unknownHosts: row.unknownHosts,
})

function actionOf({ action }: JobDefinition, inputs: Readonly<Record<string, string>>): Lease['action'] {
  if (isConnection(action)) return { kind: 'act', of: action }
  if (action.kind !== 'wait') return action
  const minutes = typeof action.minutes === 'string' ? inputs[action.minutes.slice(2, -1)] : action.minutes
  return { kind: 'wait', seconds: Math.max(0, 60 * (Number(minutes) || 0)) }
}
