import { isReached, isSignedIn, saidBy } from '../work/systems'
import { TARGETS } from './check'
import type { BundleJob, BundleSystem } from './schema'

/** A job of a file with what the system that it names says: a file need not say it twice. A job that names none, or one that is not there, is as it was. */
export function placedJob(job: BundleJob, systems: ReadonlyMap<string, BundleSystem>): BundleJob {
  const system = job.system === undefined ? undefined : systems.get(job.system)
  if (!system || job.kind === undefined || !isReached(job.kind)) return job
  const said = saidBy({ ...job.with, kind: job.kind }, system)
  const target =
    system.pool === null ? {} : { ...Object.fromEntries(TARGETS.map((key) => [key, undefined])), pool: system.pool }
  return {
    ...job,
    ...target,
    with: { ...job.with, ...said },
    ...(isSignedIn(job.kind) && system.account !== null ? { account: system.account } : {}),
  }
}

/** Fields of a job that need not stand in a file, for the system that it names says them. */
export const saidElsewhere = (
  job: Pick<BundleJob, 'kind' | 'with'>,
  system: BundleSystem | undefined,
): ReadonlySet<string> =>
  // An address holds more than where it leads.
  new Set(
    system && job.kind
      ? Object.keys(saidBy({ ...job.with, kind: job.kind }, system)).filter(
          (key) => key !== 'url' && !(job.kind === 'reach' && key === 'host' && job.with?.by === 'http'),
        )
      : [],
  )
