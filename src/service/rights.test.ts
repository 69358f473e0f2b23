import { actor, freshDatabase } from '@/store/database.test-help'
import { changeAgent } from './fleet/fleet'
import { changeTriggers } from './timing/triggers'

freshDatabase()

/** That each function checks its right at all is looked at for every endpoint (app/server/endpoints.test.ts); here, where one right is not enough. */
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
