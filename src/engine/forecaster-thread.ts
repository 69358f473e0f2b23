import os from 'node:os'
import { inOrganisation } from '@/store/organisation'
import { knownOrganisations } from '@/store/organisations'
import { isOutage } from '@/store/outage'
import { makeStanding } from '@/service/forecast/standing'

/** Whatever else wants a core gets most of it; with the least there is, a busy machine would never let it end. On Linux a priority is a thread's own. */
const LOW_PRIORITY = 10

let isModest = false

/** What the forecaster's thread does (`dist/forecaster.cjs`). Null: the database does not answer, which the engine itself tells. */
export default async function forecast(organisation: number): Promise<{ readonly tookMs: number } | null> {
  if (!isModest && process.platform === 'linux') {
    isModest = true
    os.setPriority(LOW_PRIORITY)
  }
  try {
    // This thread, too, must know whether there are several.
    await knownOrganisations()
    return await inOrganisation(organisation, makeStanding)
  } catch (error) {
    if (isOutage(error)) return null
    throw error
  }
}
