import { actor, freshDatabase, type VIEWER } from '@/store/database.test-help'
import { addEnrolmentKey, answerEnrolment, enrolmentsOfKey, revokeEnrolmentKey } from './enrol'
import { addPool, changeAgent, revokeAgent, setMembership } from './fleet'
import { actOnRuns } from './many-runs'
import { closeMatter, takeMatter } from './matters'
import { addPerson, changePerson } from './people'
import { clearRun, runAgain, startRun, stopRun } from './start'
import { holdStep, markStep, releaseStep, runStepsAgain } from './flow-runs'
import { addFlow, removeFlow, saveFlow } from './flows'
import { changeTriggers } from './triggers'
import { addArea, addJob, removeJob, saveJob } from './work'

freshDatabase()

type Service = (actor: typeof VIEWER, ...rest: never[]) => Promise<unknown>
const functions: Record<'operate' | 'design' | 'administer', Record<string, Service>> = {
  operate: {
    startRun,
    stopRun,
    runAgain,
    clearRun,
    takeMatter,
    actOnRuns,
    closeMatter,
    holdStep,
    releaseStep,
    markStep,
    runStepsAgain,
  },
  design: { addArea, addJob, saveJob, removeJob, addFlow, saveFlow, removeFlow },
  administer: {
    addPerson,
    changePerson,
    revokeAgent,
    addPool,
    setMembership,
    addEnrolmentKey,
    revokeEnrolmentKey,
    enrolmentsOfKey,
    answerEnrolment,
  },
}
const below = { operate: 'viewer', design: 'operator', administer: 'designer' } as const

describe.each(['operate', 'design', 'administer'] as const)('what takes the right to %s', (right) => {
  it.each(Object.entries(functions[right]))('%s checks it by itself, before anything else', async (_name, service) => {
    // No other argument is given: a function that looked at one first would fail with another error.
    await expect(service(actor(below[right]))).rejects.toMatchObject({ code: 'not-allowed', extra: { needed: right } })
  })
})

describe('what an operator may do of a change', () => {
  const [operator, designer, viewer] = [actor('operator'), actor('designer'), actor('viewer')]
  const isAllowed = (work: Promise<unknown>): Promise<boolean> =>
    work.then(
      () => true,
      (error: { code?: string }) => error.code !== 'not-allowed',
    )
  const NONE = 999_999

  it.each([
    ['switch triggers', { enabled: false }, [false, true, true]],
    ['change their priority', { priority: 'high' as const }, [false, false, true]],
    ['remove them', { remove: true as const }, [false, false, true]],
    ['switch and change', { enabled: true, priority: 'high' as const }, [false, false, true]],
  ])('%s', async (_, change, expected) => {
    const got = []
    for (const who of [viewer, operator, designer])
      got.push(await isAllowed(changeTriggers(who, { ids: [NONE], change })))
    expect(got).toEqual(expected)
  })

  it.each([
    ['drain an agent', { draining: true }, [false, true, true]],
    ['give it slots', { slots: 3 }, [false, false, true]],
    ['drain and switch it off', { draining: true, active: false }, [false, false, true]],
  ])('%s', async (_, change, expected) => {
    const got = []
    for (const who of [viewer, operator, actor('administrator')])
      got.push(await isAllowed(changeAgent(who, NONE, change)))
    expect(got).toEqual(expected)
  })
})
