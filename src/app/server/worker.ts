import { route } from '@/app/endpoints'
import type { Answer, Task } from './workers'
import { Problem } from '@/service/base/problem'
import { inOrganisation } from '@/store/organisation'
import { knownOrganisations } from '@/store/organisations'
import { isOutage } from '@/store/outage'
import { databaseAway } from './outage'

/** Answers one request in a worker thread, as the web process itself would. */
export async function answer(task: Task): Promise<Answer> {
  // This thread, too, must know whether there are several organisations.
  await knownOrganisations()
  return inOrganisation(task.organisation, () => answerHere(task))
}

async function answerHere({ method, url, headers, text, segments, signedIn }: Task): Promise<Answer> {
  const found = route(method, segments)
  if (!('endpoint' in found)) throw new Error(`No endpoint for ${method} ${url}.`)
  const request = new Request(url, {
    method,
    headers: headers as [string, string][],
    ...(text === null || method === 'GET' ? {} : { body: text }),
  })
  try {
    const response = await found.endpoint.answer({ ...signedIn, signedIn, params: found.params, request })
    return {
      status: response.status,
      headers: [...response.headers],
      body: response.body === null ? null : await response.arrayBuffer(),
    }
  } catch (error) {
    const problem = isOutage(error) ? databaseAway() : error
    if (!(problem instanceof Problem)) throw error
    const { code, detail, errors, extra } = problem
    return { problem: { code, detail, errors, extra } }
  }
}
