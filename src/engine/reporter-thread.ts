import os from 'node:os'
import { inOrganisation } from '@/store/organisation'
import { knownOrganisations } from '@/store/organisations'
import { isOutage } from '@/store/outage'
import { makeNext } from '@/service/reports/making'
import { mailNext } from '@/service/reports/mailing'

/** Placing and starting go before. On Linux a priority is a thread's own. */
const LOW_PRIORITY = 10

let isModest = false

/** What the reporter's thread does (`dist/reporter.cjs`): makes the reports that wait, then mails those that are to be mailed. A database that does not answer the engine itself tells. */
export default async function report(organisation: number): Promise<void> {
  if (!isModest && process.platform === 'linux') {
    isModest = true
    os.setPriority(LOW_PRIORITY)
  }
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
}
