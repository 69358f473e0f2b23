import { inOrganisation } from '@/store/organisation'
import { knownOrganisations } from '@/store/organisations'
import { isOutage } from '@/store/outage'
import { makeNext } from '@/service/reports/making'
import { mailNext } from '@/service/reports/mailing'
import { beModest } from './modest'

/** What the reporter's thread does (`dist/reporter.cjs`): makes the reports that wait, then mails those that are to be mailed; then there is no more. A database that does not answer the engine itself tells. */
export default async function report(organisation: number): Promise<false> {
  beModest()
  try {
    // This thread, too, must know whether there are several.
    await knownOrganisations()
    await inOrganisation(organisation, async () => {
      while (await makeNext());
      while (await mailNext());
    })
  } catch (error) {
    if (!isOutage(error)) throw error
  }
  return false
}
