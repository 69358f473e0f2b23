import { inOrganisation } from '@/store/organisation'
import { knownOrganisations } from '@/store/organisations'
import { isOutage } from '@/store/outage'
import { makeStanding } from '@/service/forecast/standing'
import { beModest } from './modest'

/** What the forecaster's thread does (`dist/forecaster.cjs`). Null: the database does not answer, which the engine itself tells. */
export default async function forecast(organisation: number): Promise<{ readonly tookMs: number } | null> {
  beModest()
  try {
    // This thread, too, must know whether there are several.
    await knownOrganisations()
    return await inOrganisation(organisation, makeStanding)
  } catch (error) {
    if (isOutage(error)) return null
    throw error
  }
}
