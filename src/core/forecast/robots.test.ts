import { checkFile } from '../bundle/check'
import { FORMAT, type Bundle } from '../bundle/schema'
import { agentFacts } from './agent-facts.test-help'
import { modelOf } from './build'
import { recorded } from './report'
import { placeName, type Server, type ServerRobot } from './server'

const FROM = Date.UTC(2027, 2, 9, 2) / 1000
const MINUTE = 60

function bundleWith(agents: Bundle['agents']): Bundle {
  const checked = checkFile({
    format: FORMAT,
    zone: 'UTC',
    pools: [{ id: 'desks' }],
    agents,
    jobs: [{ id: 'refund', kind: 'command', command: 'refund', robotPool: 'desks', expect: 'PT10M' }],
    triggers: [
      { id: 'first', start: { job: 'refund' }, time: { at: ['02:01'] } },
      { id: 'second', start: { job: 'refund' }, time: { at: ['02:02'] } },
    ],
  })
  if (!checked.ok) throw new Error(JSON.stringify(checked.faults))
  return checked.bundle
}

const robot = (name: string, closed: ServerRobot['closed'] = []): ServerRobot => ({
  ...agentFacts(name, ['desks']),
  robot: { agent: 'kelda-desk1', isAgentOn: true, isAttended: false, outOfHours: 'now', accountFault: null },
  closed,
})

function startsWith(
  robots: readonly ServerRobot[],
  agents: Bundle['agents'] = [{ id: 'kelda-desk1', slots: 1, pools: ['desks'], away: [] }],
) {
  const server: Server = {
    agents: [agentFacts('kelda-desk1', ['desks'])],
    robots,
    lengths: {},
    open: [],
    startsOff: false,
  }
  const model = modelOf(bundleWith(agents), FROM, 3, server)
  const { attempts, load } = recorded(model)
  return {
    attempts: attempts.map(({ agent, start, end, state }) => [
      agent,
      start === null ? null : (start - FROM) / MINUTE,
      end === null ? null : (end - FROM) / MINUTE,
      state,
    ]),
    load: Math.max(...load.map(({ peak }) => peak)),
    model,
  }
}

describe('robots in a forecast', () => {
  it('do one thing at a time, and take no slot of their agent', () => {
    const { attempts, load, model } = startsWith([robot('desk1')])
    expect(attempts).toEqual([
      [placeName('desk1'), 1, 11, 'succeeded'],
      [placeName('desk1'), 11, 21, 'succeeded'],
    ])
    expect(load).toBe(0)
    expect(model.pools.find(({ id }) => id === '')?.capacity).toBe(1)
  })

  it('begin nothing out of their hours, and end what they have', () => {
    const closed = [{ from: FROM + 5 * MINUTE, to: FROM + 60 * MINUTE }]
    expect(startsWith([robot('desk1', closed)]).attempts).toEqual([
      [placeName('desk1'), 1, 11, 'succeeded'],
      [placeName('desk1'), 60, 70, 'succeeded'],
    ])
    // One that is called like its agent is another place.
    expect(startsWith([robot('desk1', closed), robot('kelda-desk1')]).attempts.map(([agent]) => agent)).toEqual([
      placeName('desk1'),
      placeName('kelda-desk1'),
    ])
  })

  it('go with their agent, and what they do is lost', () => {
    const away = [{ from: '2027-03-09T02:05:00Z', to: '2027-03-09T02:30:00Z' }]
    const { attempts } = startsWith([robot('desk1')], [{ id: 'kelda-desk1', slots: 1, pools: ['desks'], away }])
    expect(attempts[0]).toEqual([placeName('desk1'), 1, 5, 'lost'])
    expect(attempts.slice(1).map(([, start]) => start)).toEqual(expect.arrayContaining([30, 40]))
  })
})
