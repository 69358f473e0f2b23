import { inOrganisation } from '@/store/organisation'
import { knownOrganisations } from '@/store/organisations'
import { isOutage } from '@/store/outage'
import { lookAtNext } from '@/service/watch/outputs'
import { beModest } from './modest'

/** What the thread does that looks at outputs (`dist/outputs.cjs`): one of those that wait. False: none waits. A database that does not answer the engine itself tells. */
export default async function look(organisation: number): Promise<boolean> {
  beModest()
  try {
    // This thread, too, must know whether there are several.
    await knownOrganisations()
    return await inOrganisation(organisation, lookAtNext)
  } catch (error) {
    if (!isOutage(error)) throw error
    return false
  }
}
