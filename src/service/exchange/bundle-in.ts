import { checkBundle } from '@/core/bundle/check'
import { placedJob } from '@/core/bundle/on-system'
import type { Bundle } from '@/core/bundle/schema'
import type { Fault } from '@/core/schema/faults'
import { requireRight, type Actor } from '@/service/base/actor'
import { Problem } from '@/service/base/problem'
import { addPoolIn } from '@/service/fleet/fleet'
import { addLockIn, changeLockIn } from '@/service/fleet/locks'
import { maybeOne, transaction, type Tx } from '@/store/db'
import { importCalendars } from './bundle-calendars'
import { flowIn, importFlows, type FlowIn } from './bundle-flows'
import { importJobs, jobIn, type JobIn } from './bundle-jobs'
import { importAreas, importGroups } from './bundle-people'
import { importQueues } from './bundle-queues'
import { importReports, placeReports } from './bundle-reports'
import { importRobots } from './bundle-robots'
import { importSystems } from './bundle-systems'
import type { ImportLine } from './bundle-parts'
import { importTriggers, triggerIn } from './bundle-triggers'
import { importViews } from './bundle-views'

class DryRun extends Error {}

/**
 * Brings a bundle in: what is new is added, what is there is changed to what the file says, by id; nothing is removed. All or nothing. `dryRun`: everything is
 * tried and nothing kept.
 */
export async function importBundle(actor: Actor, raw: unknown, dryRun: boolean): Promise<{ lines: ImportLine[] }> {
  requireRight(actor, 'design')
  // What steps give to their work is looked at where a flow is saved: one that is there already as the file has it is left as it is.
  const checked = checkBundle(raw)
  if (!checked.ok) refuseFile(checked.faults)
  const { bundle } = checked as { bundle: Bundle }
  const faults: Fault[] = []
  const systems = new Map(bundle.systems.map((system) => [system.id, system]))
  const jobs = bundle.jobs.map((job, i) => jobIn(placedJob(job, systems), `jobs[${i}]`, faults))
  const flows = bundle.flows.map((flow, i) => flowIn(flow, `flows[${i}]`, faults))
  const triggers = bundle.triggers.map((trigger) => triggerIn(trigger, bundle.zone))
  refuseFile(faults)
  const lines: ImportLine[] = []
  try {
    await transaction(async (tx) => {
      lines.length = 0
      await importCalendars(tx, actor, bundle, lines)
      await importPools(tx, actor, bundle, lines)
      await importLocks(tx, actor, bundle, lines)
      await importSystems(tx, actor, bundle, lines)
      await importRobots(tx, actor, bundle, lines)
      await importGroups(tx, actor, bundle, lines)
      await importAreas(tx, actor, bundle, lines)
      await importQueues(tx, actor, bundle, lines)
      const placed = await placeReports(tx, actor, bundle)
      await importJobs(tx, actor, jobs as JobIn[], lines)
      await importFlows(tx, actor, flows as FlowIn[], lines)
      await importTriggers(tx, actor, triggers, lines)
      await importViews(tx, actor, bundle, lines)
      await importReports(tx, actor, bundle, placed, lines)
      if (dryRun) throw new DryRun()
    })
  } catch (error) {
    if (!(error instanceof DryRun)) throw error
  }
  return { lines }
}

function refuseFile(faults: readonly Fault[]): void {
  if (faults.length === 0) return
  throw new Problem(
    'invalid-input',
    faults
      .slice(0, 20)
      .map(({ path, message }) => (path ? `${path}: ${message}` : message))
      .join('\n'),
    faults,
  )
}

async function importPools(tx: Tx, actor: Actor, bundle: Bundle, lines: ImportLine[]): Promise<void> {
  for (const pool of bundle.pools) {
    const known = await maybeOne(tx, 'SELECT 1 AS one FROM pools WHERE name = $1', [pool.id])
    if (!known) await addPoolIn(tx, actor, { name: pool.id, title: pool.title ?? pool.id })
    lines.push({ kind: 'pool', id: pool.id, what: known ? 'same' : 'added' })
  }
}

async function importLocks(tx: Tx, actor: Actor, bundle: Bundle, lines: ImportLine[]): Promise<void> {
  for (const { id: name, title = name, units } of bundle.locks) {
    const known = await maybeOne<{ id: number; title: string; units: number }>(
      tx,
      'SELECT id, title, units FROM locks WHERE name = $1',
      [name],
    )
    const isSame = known?.title === title && known.units === units
    if (!known) await addLockIn(tx, actor, { name, title, units })
    else if (!isSame) await changeLockIn(tx, actor, known.id, { title, units })
    lines.push({ kind: 'lock', id: name, what: !known ? 'added' : isSame ? 'same' : 'changed' })
  }
}
